#pragma once

#include <exception>
#include <stdexcept>
#include <string>

#include <nlohmann/json.hpp>

namespace hopcoil::page {

using Json = nlohmann::ordered_json;

/// What HTTP calls what went wrong.
inline constexpr int bad_request = 400;
inline constexpr int forbidden = 403;
inline constexpr int not_found = 404;
inline constexpr int conflict = 409;
inline constexpr int too_much = 413;
inline constexpr int unprocessable = 422;
inline constexpr int failed = 500;

/// A request that cannot be answered; `what()` says how to correct it.
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
