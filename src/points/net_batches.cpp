#include "net_batches.hpp"

#include <algorithm>
#include <numeric>
#include <tuple>
#include <utility>

namespace hopcoil::net {
namespace {

/// Shorter runs gain nothing from being processed side by side.
constexpr std::size_t shortest_batch = 4;
/// Batches are filled up to multiples of the vector width.
constexpr std::size_t at_a_time = 8;
constexpr std::uint32_t longest_filling = 4;  ///< between two elements
constexpr std::uint32_t last_colour = 63;

/// A batch under construction: elements, by their old indices, and fillers.
struct Piece {
    std::vector<std::uint32_t> order{};
    std::array<std::uint32_t, 3> points{};  ///< of the first
    Layout layout = Layout::loose;
    bool is_special = false;
    std::uint32_t colour = 0;
};

/// Runs of elements whose points each follow those of the element before in memory.
class Runs {
  public:
    Runs(std::span<const Element> elements, std::uint32_t most_fillers) : elements_{elements} {
        std::vector<std::uint32_t> order(elements.size());
        std::iota(order.begin(), order.end(), 0U);
        std::sort(order.begin(), order.end(),
                  [&](std::uint32_t a, std::uint32_t b) { return key_of(a) < key_of(b); });
        for (const std::uint32_t i : order) {
            const std::uint32_t fillers = all_.empty() ? filler : fillers_before(i);
            if (fillers > most_fillers) {
                all_.push_back({{i}, elements[i].points, Layout::loose, elements[i].is_special, 0});
            } else {
                all_.back().order.insert(all_.back().order.end(), fillers, filler);
                all_.back().order.push_back(i);
            }
        }
    }
    [[nodiscard]] const std::vector<Piece>& all() const noexcept { return all_; }

  private:
    /// By what they are, how far their points are from each other, and where they are.
    [[nodiscard]] std::tuple<bool, std::uint32_t, std::uint32_t, std::uint32_t, std::uint32_t>
    key_of(std::uint32_t i) const {
        const auto& [a, b, c] = elements_[i].points;
        return {elements_[i].is_special, b - a, c - a, a, i};
    }
    /// How many elements are missing between the last run and an element; a large number where it
    /// cannot continue the run.
    [[nodiscard]] std::uint32_t fillers_before(std::uint32_t i) const {
        const Piece& run = all_.back();
        const auto& [a, b, c] = elements_[i].points;
        const bool fits = run.is_special == elements_[i].is_special &&
                          b - a == run.points[1] - run.points[0] &&
                          c - a == run.points[2] - run.points[0];
        const auto next = run.points[0] + static_cast<std::uint32_t>(run.order.size());
        return fits && a >= next ? a - next : filler;
    }

    std::span<const Element> elements_;
    std::vector<Piece> all_;
};

std::size_t gap_between(std::uint32_t a, std::uint32_t b) {
    return a > b ? a - b : b - a;
}
/// The least distance of two points of an element; of a link between its two.
std::size_t least_gap(const std::array<std::uint32_t, 3>& points) {
    const auto& [a, b, c] = points;
    if (b == c) return gap_between(a, b);
    return std::min({gap_between(a, b), gap_between(b, c), gap_between(a, c)});
}

/// How many points lie one after the other, or 0.
std::size_t adjacent_points(const std::array<std::uint32_t, 3>& points) {
    const auto& [a, b, c] = points;
    if (b != a + 1) return 0;
    if (c == b) return 2;
    return c == b + 1 ? 3 : 0;
}

/// Pieces of runs, for nets of so many points.
class Pieces {
  public:
    Pieces(std::span<const Element> elements, std::size_t points)
        : elements_{elements}, points_{points} {}

    /// The whole run.
    void add(const Piece& run) { add(run, run.order.size(), 1, points_); }
    /// Cut so that no piece has a point twice.
    void add_apart(const Piece& run) {
        const std::size_t size = run.order.size();
        const std::size_t adjacent = adjacent_points(run.points);
        const std::size_t step = std::max<std::size_t>(1, adjacent);
        const std::size_t most = adjacent > 0 ? points_ : least_gap(run.points);
        const std::size_t end = adjacent > 0 ? std::min(adjacent, size) : size;
        const std::size_t apart = adjacent > 0 ? 1 : most;
        for (std::size_t start = 0; start < end; start += apart) {
            Piece piece = run;
            for (std::uint32_t& point : piece.points)
                point += static_cast<std::uint32_t>(start);
            piece.order.clear();
            for (std::size_t i = start; i < size && piece.order.size() < most; i += step)
                piece.order.push_back(run.order[i]);
            add(piece, piece.order.size(), step, most);
        }
    }
    /// Gives each piece the lowest colour that none of its points has yet; the last one, whose
    /// elements follow one another, where all are taken.
    void colour() {
        std::vector<std::uint64_t> used(points_);
        const auto for_each_point = [&](const Piece& piece, const auto& visit) {
            for (const std::uint32_t i : piece.order) {
                if (i == filler) continue;
                for (const std::uint32_t p : elements_[i].points)
                    visit(used[p]);
            }
        };
        for (Piece& piece : all_) {
            std::uint64_t taken = 0;
            for_each_point(piece, [&](std::uint64_t of_point) { taken |= of_point; });
            while (piece.colour < last_colour && (taken >> piece.colour & 1U) != 0)
                ++piece.colour;
            const std::uint64_t bit = std::uint64_t{1} << piece.colour;
            for_each_point(piece, [bit](std::uint64_t& of_point) { of_point |= bit; });
        }
    }
    [[nodiscard]] Batches put_together() {
        std::stable_sort(all_.begin(), all_.end(), [](const Piece& a, const Piece& b) {
            return std::pair{a.colour, a.layout} < std::pair{b.colour, b.layout};
        });
        Batches made;
        for (const Piece& piece : all_) {
            const auto first = static_cast<std::uint32_t>(made.order.size());
            const auto count = static_cast<std::uint32_t>(piece.order.size());
            made.order.insert(made.order.end(), piece.order.begin(), piece.order.end());
            const bool joins_last = piece.layout == Layout::loose && !made.all.empty() &&
                                    made.all.back().layout == Layout::loose &&
                                    made.all.back().is_special == piece.is_special;
            if (joins_last) {
                made.all.back().count += count;
            } else {
                made.all.push_back({first, count, piece.points, piece.layout, piece.is_special});
            }
        }
        return made;
    }

  private:
    /// A piece each of whose elements lies `step` points after the last one, filled up to `most`;
    /// its elements by themselves where they are few.
    void add(Piece piece, std::size_t count, std::size_t step, std::size_t most) {
        if (count < shortest_batch) {
            for (const std::uint32_t i : piece.order) {
                if (i != filler)
                    all_.push_back({{i}, elements_[i].points, Layout::loose, piece.is_special, 0});
            }
            return;
        }
        piece.layout = step > 1 ? Layout::adjacent : Layout::side_by_side;
        const std::size_t highest = std::max({piece.points[0], piece.points[1], piece.points[2]});
        while (count % at_a_time != 0 && count < most && highest + count * step < points_) {
            piece.order.push_back(filler);
            ++count;
        }
        all_.push_back(std::move(piece));
    }

    std::span<const Element> elements_;
    std::size_t points_;
    std::vector<Piece> all_;
};

Batches coloured_batches_of(std::span<const Element> elements, std::size_t points) {
    Pieces pieces{elements, points};
    const Runs runs{elements, 0};
    for (const Piece& run : runs.all())
        pieces.add_apart(run);
    pieces.colour();
    return pieces.put_together();
}

Batches long_batches_of(std::span<const Element> elements, std::size_t points) {
    Pieces pieces{elements, points};
    const Runs runs{elements, longest_filling};
    for (const Piece& run : runs.all())
        pieces.add(run);
    return pieces.put_together();
}

}  // namespace

Batches batches_of(std::span<const Element> elements, std::size_t points, bool by_colour) {
    return by_colour ? coloured_batches_of(elements, points) : long_batches_of(elements, points);
}

LinkTable::LinkTable(const NetStructure& structure, bool by_colour) {
    std::vector<Element> elements;
    elements.reserve(structure.links.size());
    for (const NetLink& link : structure.links)
        elements.push_back({{link.a, link.b, link.b}, link.shortest_m < link.longest_m});
    const Batches sorted = batches_of(elements, structure.points.size(), by_colour);
    batches = sorted.all;
    for (const std::uint32_t i : sorted.order) {
        const NetLink link = i == filler ? NetLink{.stiffness_n_per_m = 0} : structure.links[i];
        a.push_back(link.a);
        b.push_back(link.b);
        shortest_m.push_back(link.shortest_m);
        longest_m.push_back(link.longest_m);
        stiffness.push_back(link.stiffness_n_per_m);
        damping.push_back(link.damping_n_s_per_m);
    }
}

BendTable::BendTable(const NetStructure& structure, bool by_colour) {
    std::vector<Element> elements;
    elements.reserve(structure.bends.size());
    for (const NetBend& bend : structure.bends) {
        const bool has_direction = bend.rest_m > 0 || (!by_colour && bend.damping_n_s_per_m > 0);
        elements.push_back({{bend.a, bend.middle, bend.c}, has_direction});
    }
    const Batches sorted = batches_of(elements, structure.points.size(), by_colour);
    batches = sorted.all;
    for (const std::uint32_t i : sorted.order) {
        const NetBend bend = i == filler ? NetBend{} : structure.bends[i];
        a.push_back(bend.a);
        middle.push_back(bend.middle);
        c.push_back(bend.c);
        weight_a.push_back(bend.weight_a);
        weight_c.push_back(bend.weight_c);
        rest_m.push_back(bend.rest_m);
        stiffness.push_back(bend.stiffness_n_per_m);
        damping.push_back(bend.damping_n_s_per_m);
    }
}

bool has_damping(const LinkTable& links, const BendTable& bends) noexcept {
    const auto is_damped = [](double each) {
        return each > 0;
    };
    return std::any_of(links.damping.begin(), links.damping.end(), is_damped) ||
           std::any_of(bends.damping.begin(), bends.damping.end(), is_damped);
}

TetherTable::TetherTable(std::span<const Tether> tethers, std::size_t points) {
    std::vector<Element> elements;
    elements.reserve(tethers.size());
    for (const Tether& tether : tethers)
        elements.push_back({{tether.point, tether.pin, tether.pin}});
    const Batches sorted = batches_of(elements, points, false);
    batches = sorted.all;
    for (const std::uint32_t i : sorted.order) {
        const Tether tether = i == filler ? Tether{.longest_m = unbounded_length_m} : tethers[i];
        point.push_back(tether.point);
        pin.push_back(tether.pin);
        longest_m.push_back(tether.longest_m);
    }
}

}  // namespace hopcoil::net
