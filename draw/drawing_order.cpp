#include "draw/drawing_order.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <span>

#include <hopcoil/base/quaternion.hpp>

#include "draw/extent.hpp"

namespace hopcoil::draw {
namespace {

Extent along(const Surrounding& thing, const Vector3& axis) {
    Extent extent;
    for (const Vector3& corner : thing.corners)
        extent.include(dot(corner, axis));
    return extent;
}

double nearness(const Surrounding& thing, const Eye& eye) {
    const Extent extent = along(thing, eye.toward);
    return 0.5 * (extent.low + extent.high);
}

bool overlap(const Surrounding& a, const Surrounding& b, const Vector3& axis) {
    const Extent of_a = along(a, axis);
    const Extent of_b = along(b, axis);
    return of_a.low < of_b.high && of_b.low < of_a.high;
}

/// Whether `b` is before (1) or behind (-1) a side of `a`; 0 where it reaches round them all.
int side_of(const Surrounding& a, const Surrounding& b, const Eye& eye) {
    constexpr double sunk = 0.1;  // things that touch are a little in each other
    constexpr double edge_on = 1e-3;
    for (const Vector3& axis : a.axes) {
        const double faces = dot(axis, eye.toward);
        if (std::abs(faces) < edge_on) continue;
        const Extent of_a = along(a, axis);
        const Extent of_b = along(b, axis);
        const double rounding = 1e-3 * (of_a.size() + of_b.size());
        const double slack = sunk * std::min(of_a.size(), of_b.size()) + rounding;
        const int side = faces > 0 ? 1 : -1;
        if (of_b.low >= of_a.high - slack) return side;
        if (of_b.high <= of_a.low + slack) return -side;
    }
    return 0;
}

/// Whether the first has to be drawn before the second.
bool is_behind(const Surrounding& a, const Surrounding& b, const Eye& eye) {
    const int side = side_of(a, b, eye);
    return side != 0 ? side > 0 : side_of(b, a, eye) < 0;
}

/// Of those with the same order, in which they come by their distance.
void sort_by_sides(const std::vector<Surrounding>& all, const Eye& eye,
                   std::span<std::size_t> group) {
    const std::size_t count = group.size();
    std::vector<std::vector<std::size_t>> before(count);  // of each, those that it waits for
    for (std::size_t i = 0; i < count; ++i) {
        for (std::size_t k = 0; k < count; ++k) {
            const Surrounding& a = all[group[k]];
            const Surrounding& b = all[group[i]];
            if (i != k && overlap(a, b, eye.right) && overlap(a, b, eye.up) && is_behind(a, b, eye))
                before[i].push_back(k);
        }
    }
    std::vector<std::size_t> sorted;
    std::vector<bool> is_drawn(count, false);
    while (sorted.size() < count) {
        const auto waits = [&](std::size_t i) {
            return std::any_of(before[i].begin(), before[i].end(),
                               [&](std::size_t k) { return !is_drawn[k]; });
        };
        std::size_t first = count;
        std::size_t next = count;
        for (std::size_t i = 0; i < count && next == count; ++i) {
            if (is_drawn[i]) continue;
            first = std::min(first, i);
            if (!waits(i)) next = i;
        }
        if (next == count) next = first;
        is_drawn[next] = true;
        sorted.push_back(group[next]);
    }
    std::copy(sorted.begin(), sorted.end(), group.begin());
}

}  // namespace

std::vector<std::size_t> drawing_order(const std::vector<Surrounding>& all, const Eye& eye) {
    std::vector<std::size_t> numbers(all.size());
    std::iota(numbers.begin(), numbers.end(), std::size_t{0});
    std::vector<double> near;
    near.reserve(all.size());
    for (const Surrounding& each : all)
        near.push_back(nearness(each, eye));
    std::stable_sort(numbers.begin(), numbers.end(), [&](std::size_t a, std::size_t b) {
        if (all[a].order != all[b].order) return all[a].order < all[b].order;
        if (all[a].gives_way != all[b].gives_way) return all[a].gives_way;
        return near[a] < near[b];
    });
    for (std::size_t from = 0; from < numbers.size();) {
        std::size_t to = from;
        while (to < numbers.size() && all[numbers[to]].order == all[numbers[from]].order)
            ++to;
        sort_by_sides(all, eye, std::span{numbers}.subspan(from, to - from));
        from = to;
    }
    return numbers;
}

}  // namespace hopcoil::draw
