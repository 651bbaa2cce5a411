#pragma once

#include <cstddef>
#include <optional>
#include <string>

#include <nlohmann/json.hpp>

#include <hopcoil/io/file_problems.hpp>

namespace hopcoil::io {

using Json = nlohmann::json;

/// A value inside a JSON document, and where: what is wrong with it is said with its JSON pointer.
class JsonAt {
  public:
    JsonAt() = default;
    JsonAt(const Json& value, std::string file) : value_{&value}, file_{std::move(file)} {}

    /// Errors  InputProblems: it is not an object, or has no such key.
    [[nodiscard]] JsonAt operator[](const std::string& key) const;
    [[nodiscard]] std::optional<JsonAt> find(const std::string& key) const;
    /// Errors  InputProblems: it is not a list.
    [[nodiscard]] std::size_t size() const;
    [[nodiscard]] JsonAt operator[](std::size_t index) const;

    [[nodiscard]] std::string text() const;
    [[nodiscard]] bool flag() const;
    /// A finite number.
    [[nodiscard]] double number() const;
    /// A whole number, 0 or more.
    [[nodiscard]] std::size_t index() const;
    [[nodiscard]] std::size_t index_or(const std::string& key, std::size_t otherwise) const;

    void require_object() const;
    [[nodiscard]] const std::string& pointer() const { return pointer_; }
    [[nodiscard]] const Json& raw() const { return *value_; }

    /// Errors  InputProblems, always.
    [[noreturn]] void fail(const std::string& message) const;

  private:
    JsonAt(const Json& value, std::string file, std::string pointer)
        : value_{&value}, file_{std::move(file)}, pointer_{std::move(pointer)} {}

    const Json* value_ = nullptr;
    std::string file_;
    std::string pointer_;
};

/// Errors  InputProblems with the line and column of what is no JSON, or for nesting deeper than
///         any file of use.
[[nodiscard]] Json parse_json(const std::string& text, const std::string& file);

}  // namespace hopcoil::io
