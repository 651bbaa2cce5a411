#pragma once

#include <span>
#include <string_view>

namespace hopcoil::page {

/// A file of the page, as it was when the program was built.
struct Asset {
    std::string_view path{};  ///< "/page.css"
    std::string_view kind{};  ///< of its content: "text/css"
    std::string_view bytes{};
};

/// All there is to the page: nothing else is ever served as a file.
[[nodiscard]] std::span<const Asset> assets() noexcept;

}  // namespace hopcoil::page
