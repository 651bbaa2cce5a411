#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include <hopcoil/points/net_structure.hpp>

namespace hopcoil::net {

/// How the points of a batch's elements lie in memory.
enum class Layout : std::uint8_t {
    side_by_side,  ///< those of element k each k after those of the first
    adjacent,      ///< one after the other: those of element k begin at k times as many
    loose,         ///< anywhere: by their indices
};

/// Elements that are processed in one loop.
struct Batch {
    std::uint32_t first = 0;  ///< of the elements, in their new order
    std::uint32_t count = 0;
    std::array<std::uint32_t, 3> points{};  ///< of the first
    Layout layout = Layout::loose;
    bool is_special = false;
};

/// A link (two points, the third again the second) or a bend; special ones have batches of their
/// own.
struct Element {
    std::array<std::uint32_t, 3> points{};
    bool is_special = false;
};

/// Stands for no element: it does nothing, and fills a gap so that the elements around it are
/// processed in one loop.
inline constexpr std::uint32_t filler = static_cast<std::uint32_t>(-1);

struct Batches {
    /// Of each element in the new order its old number, or `filler`.
    std::vector<std::uint32_t> order{};
    std::vector<Batch> all{};
};

/// By colour: no two elements of a colour share a point, so that neither their order nor the number
/// processed at once matters; colours follow one another. Otherwise, for sums of forces, in the
/// longest batches, whose elements may share points.
[[nodiscard]] Batches batches_of(std::span<const Element> elements, std::size_t points,
                                 bool by_colour);

/// Links in the order of their batches, each number an array. Those of a special batch have a range
/// (shortest_m < longest_m); others a rest length.
struct LinkTable {
    /// Batches by colour, or in the longest runs.
    LinkTable(const NetStructure& structure, bool by_colour);
    [[nodiscard]] std::size_t size() const noexcept { return a.size(); }

    std::vector<Batch> batches;
    std::vector<std::uint32_t> a;
    std::vector<std::uint32_t> b;
    std::vector<double> shortest_m;
    std::vector<double> longest_m;
    std::vector<double> stiffness;
    std::vector<double> damping;
};

/// Bends likewise. Those of a special batch have an angle, or damping along b alone; others are
/// straight at rest.
struct BendTable {
    BendTable(const NetStructure& structure, bool by_colour);
    [[nodiscard]] std::size_t size() const noexcept { return a.size(); }

    std::vector<Batch> batches;
    std::vector<std::uint32_t> a;
    std::vector<std::uint32_t> middle;
    std::vector<std::uint32_t> c;
    std::vector<double> weight_a;
    std::vector<double> weight_c;
    std::vector<double> rest_m;
    std::vector<double> stiffness;
    std::vector<double> damping;
};

/// Whether any of them depends on velocity.
[[nodiscard]] bool has_damping(const LinkTable& links, const BendTable& bends) noexcept;

/// A point that is kept within reach of its nearest pin.
struct Tether {
    std::uint32_t point = 0;
    std::uint32_t pin = 0;
    double longest_m = 0;
};
struct TetherTable {
    TetherTable(std::span<const Tether> tethers, std::size_t points);

    std::vector<Batch> batches;
    std::vector<std::uint32_t> point;
    std::vector<std::uint32_t> pin;
    std::vector<double> longest_m;
};

}  // namespace hopcoil::net
