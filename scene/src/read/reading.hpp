#pragma once

#include <cstddef>
#include <cstdint>
#include <optional>
#include <stdexcept>
#include <string>
#include <vector>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>

#include "toml_reader.hpp"

/// @file
/// What the readers of a scene's tables have in common.

namespace hopcoil::scene {

/// The key of a table that a field was read from, as it is spelled there: "high_stop_deg" of
/// "high"; empty when there is none.
[[nodiscard]] std::string key_of_field(const TableReader& reader, const std::string& field);

/// Notes a value that the library refuses, at the key it was read from and in that key's unit.
template <class Make>
bool try_to(TableReader& reader, const Make& make) {
    try {
        make();
        return true;
    } catch (const InvalidValue& problem) {
        const std::string key = key_of_field(reader, problem.field());
        const double factor = key.find("_deg") == std::string::npos ? 1 : 180 / math::pi;
        reader.problem(key, fmt::format("{}expected {}, found {:.10g}",
                                        key.empty() ? problem.field() + ": " : "",
                                        problem.expected(), factor * problem.value()));
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

/// A list of plain numbers, or one; what is wrong in it is noted and left out.
[[nodiscard]] std::vector<double> number_list(TableReader& reader, const std::string& key);

/// What goes together has one unit and as many numbers: the first ones given decide.
struct Shape {
    std::optional<std::string> unit{};
    std::optional<std::size_t> count{};
    ValueKind kind = ValueKind::number;  ///< an angle or a rotation where that was said
};

/// Whether one number may stand for as many as there are.
enum class OneForAll : std::uint8_t { no, yes };

/// A place or a speed of a shape; nothing when it is missing, or wrong and noted.
[[nodiscard]] std::optional<ValueArray> in_shape(TableReader& reader, const std::string& key,
                                                 Shape& shape, OneForAll one = OneForAll::no);
[[nodiscard]] std::optional<ValueArray> in_shape(TableReader& reader, const Quantity& quantity,
                                                 Shape& shape, OneForAll one = OneForAll::no);

/// One number in the shape's unit: a top speed.
[[nodiscard]] std::optional<double> in_unit(TableReader& reader, const std::string& key,
                                            Shape& shape);

/// A number, or one for each axis, without unit; all ones when it is missing.
[[nodiscard]] ValueArray factors(TableReader& reader, const std::string& key, const Shape& shape);

/// Notes a file that cannot be read at the key that names it, and what is wrong inside one.
template <class Read>
void read_beside(TableReader& reader, const std::string& key, const Read& read) {
    try {
        read();
    } catch (const io::InputProblems& inside) {
        reader.problems().insert(reader.problems().end(), inside.problems().begin(),
                                 inside.problems().end());
    } catch (const io::FileProblem& missing) {
        // A file that cannot be read outranks what is wrong inside files.
        throw io::FileProblem{
            io::to_text({reader.position_of(key), reader.path() + '.' + key, missing.what()})};
    }
}

}  // namespace hopcoil::scene
