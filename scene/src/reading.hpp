#pragma once

#include <optional>
#include <stdexcept>
#include <string>

#include <fmt/format.h>

#include <hopcoil/base/problems.hpp>

#include "toml_reader.hpp"

/// @file
/// What the readers of a scene's tables have in common.

namespace hopcoil::scene {

/// Notes a value that the library refuses, at the key it was read from.
template <class Make>
bool try_to(TableReader& reader, const Make& make) {
    try {
        make();
        return true;
    } catch (const InvalidValue& problem) {
        const std::string& key = problem.field();
        reader.problem(reader.has(key) ? key : "",
                       fmt::format("{}expected {}, found {}", reader.has(key) ? "" : key + ": ",
                                   problem.expected(), problem.value()));
    } catch (const std::invalid_argument& problem) {
        reader.problem("", problem.what());
    }
    return false;
}

/// A number that has to be there; 1 when it is not, and noted.
[[nodiscard]] double required(TableReader& reader, const std::string& key);

/// A whole number in a range; noted when it is another.
[[nodiscard]] std::optional<double> whole_number(TableReader& reader, const std::string& key,
                                                 double least, double most);

/// A quantity whose unit has to be that of the others: the first one given decides.
[[nodiscard]] std::optional<double> in_unit(TableReader& reader, const std::string& key,
                                            std::optional<std::string>& unit,
                                            const std::string& suffix = "");

}  // namespace hopcoil::scene
