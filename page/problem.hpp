#pragma once

#include <exception>
#include <stdexcept>
#include <string>

#include <nlohmann/json.hpp>

namespace hopcoil::page {

using Json = nlohmann::ordered_json;

/// A request that cannot be answered; `what()` says how to mend it.
class RequestProblem : public std::runtime_error {
  public:
    RequestProblem(int status, const std::string& what) : runtime_error{what}, status_{status} {}
    [[nodiscard]] int status() const noexcept { return status_; }  ///< of HTTP

  private:
    int status_;
};

/// {"problem": {"status": ..., "message": ...}}, with "places" (file, line, column, key, message)
/// where files are wrong.
[[nodiscard]] Json problem_json(int status, const std::string& message);

/// The same of whatever was thrown, in the words the command would have, and its status.
struct Answered {
    int status = 200;
    Json body{};
};
[[nodiscard]] Answered answer_for(const std::exception_ptr& thrown);

}  // namespace hopcoil::page
