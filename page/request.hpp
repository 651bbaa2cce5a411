#pragma once

#include <optional>
#include <string>
#include <vector>

#include <hopcoil/scene/scene.hpp>

#include "page/problem.hpp"

namespace hopcoil::page {

/// A JSON object that was sent, or one inside it; every call says where it found something else
/// than it expected.
class Request {
  public:
    /// Errors  RequestProblem, as all of these.
    [[nodiscard]] static Request from_text(const std::string& text);

    Request(Json json, std::string where);

    [[nodiscard]] bool has(const std::string& key) const { return json_.contains(key); }
    /// Finite, within [least, most]; `otherwise` when it is missing.
    [[nodiscard]] double number(const std::string& key, double least, double most,
                                std::optional<double> otherwise = {}) const;
    [[nodiscard]] std::string text(const std::string& key,
                                   const std::optional<std::string>& otherwise = {}) const;
    [[nodiscard]] bool flag(const std::string& key, bool otherwise) const;
    [[nodiscard]] std::vector<std::string> texts(const std::string& key) const;
    /// An object of numbers by their paths.
    [[nodiscard]] std::vector<scene::SceneNumber> numbers(const std::string& key) const;
    /// Objects of a list, at most so many.
    [[nodiscard]] std::vector<Request> each(const std::string& key, std::size_t most) const;
    /// A list of at most so many numbers.
    [[nodiscard]] std::vector<double> list(const std::string& key, std::size_t most) const;
    [[nodiscard]] std::string as_text(const std::string& key) const;
    /// The keys of an object, each with the numbers of its list.
    struct NamedNumbers {
        std::string name{};
        std::vector<double> numbers{};
    };
    [[nodiscard]] std::vector<NamedNumbers> lists(const std::string& key, std::size_t most) const;

    /// Refuses keys that nobody asked for.
    void finish(const std::vector<std::string>& known) const;

  private:
    [[noreturn]] void refuse(const std::string& key, const std::string& expected) const;
    [[nodiscard]] std::string place(const std::string& key) const;
    [[nodiscard]] std::vector<double> list_from(const Json& json, const std::string& key,
                                                std::size_t most) const;
    [[nodiscard]] double number_from(const Json& json, const std::string& key) const;

    Json json_;
    std::string where_;
};

}  // namespace hopcoil::page
