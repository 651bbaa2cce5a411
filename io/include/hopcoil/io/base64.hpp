#pragma once

#include <optional>
#include <string>
#include <string_view>

namespace hopcoil::io {

/// Source  RFC 4648.
[[nodiscard]] std::string to_base64(std::string_view bytes);
/// Nothing when it is not base64.
[[nodiscard]] std::optional<std::string> from_base64(std::string_view text);

}  // namespace hopcoil::io
