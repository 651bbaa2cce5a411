#include "draw/visible_rows.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <numeric>

namespace hopcoil::draw {
namespace {

/// First, lowest, highest and last of some rows, in their order, each once; all of them where one
/// is no number.
void add_telling(std::vector<std::size_t>& rows, const std::vector<double>& ys, std::size_t first,
                 std::size_t last) {
    std::size_t low = first;
    std::size_t high = first;
    bool has_gap = false;
    for (std::size_t i = first; i <= last; ++i) {
        has_gap = has_gap || !std::isfinite(ys[i]);
        if (ys[i] < ys[low]) low = i;
        if (ys[i] > ys[high]) high = i;
    }
    if (has_gap) {
        for (std::size_t i = first; i <= last; ++i)
            rows.push_back(i);
        return;
    }
    std::array<std::size_t, 4> kept{first, low, high, last};
    std::sort(kept.begin(), kept.end());
    const auto end = std::unique(kept.begin(), kept.end());
    rows.insert(rows.end(), kept.begin(), end);
}

}  // namespace

std::vector<std::size_t> visible_rows(const Curve& curve, double x_from, double x_to) {
    std::vector<std::size_t> rows;
    const std::vector<double>& xs = curve.xs;
    if (xs.size() <= most_rows_drawn) {
        rows.resize(xs.size());
        std::iota(rows.begin(), rows.end(), std::size_t{0});
        return rows;
    }
    std::size_t first = 0;
    std::size_t last = xs.size() - 1;
    while (first + 1 < last && xs[first + 1] < x_from)
        ++first;
    while (last > first + 1 && xs[last - 1] > x_to)
        --last;
    const std::size_t count = last - first + 1;
    const std::size_t run =
        count <= most_rows_drawn ? 1 : (4 * count + most_rows_drawn - 1) / most_rows_drawn;
    rows.reserve(std::min(count, most_rows_drawn + 4));
    for (std::size_t i = first; i <= last; i += run)
        add_telling(rows, curve.ys, i, std::min(i + run - 1, last));
    return rows;
}

}  // namespace hopcoil::draw
