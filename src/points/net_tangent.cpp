#include "net_tangent.hpp"

#include <algorithm>
#include <cmath>
#include <map>

#include "../base/vectors.hpp"
#include "net_solver.hpp"

namespace hopcoil::net {
namespace {

constexpr std::uint32_t none = static_cast<std::uint32_t>(-1);
constexpr int most_iterations = 60;
/// Of the right side: Newton's method needs no more.
constexpr double tolerance = 1e-9;

double product(std::span<const Vector3> a, std::span<const Vector3> b) noexcept {
    double sum = 0;
    for (std::size_t i = 0; i < a.size(); ++i)
        sum += dot(a[i], b[i]);
    return sum;
}
void add_scaled(std::span<Vector3> to, double by, std::span<const Vector3> what) noexcept {
    for (std::size_t i = 0; i < to.size(); ++i)
        to[i] = to[i] + what[i] * by;
}
std::array<double, 3> numbers(const Vector3& v) noexcept {
    return {v.x, v.y, v.z};
}

}  // namespace

Tangent::Tangent(const LinkTable& links, const BendTable& bends,
                 std::span<const double> inverse_masses)
    : free_at_(inverse_masses.size(), none), memory_(8 * inverse_masses.size()) {
    for (std::uint32_t i = 0; i < inverse_masses.size(); ++i) {
        const bool is_free = inverse_masses[i] > 0;
        masses_.push_back(is_free ? 1 / inverse_masses[i] : 0);
        if (!is_free) continue;
        free_at_[i] = static_cast<std::uint32_t>(points_.size());
        points_.push_back(i);
    }
    for (std::size_t i = 0; i < links.size(); ++i) {
        elements_.push_back({.points = {links.a[i], links.b[i], links.b[i]},
                             .weights = {-1, 1, 0},
                             .shortest_m = links.shortest_m[i],
                             .longest_m = links.longest_m[i],
                             .stiffness = links.stiffness[i],
                             .damping = links.damping[i]});
    }
    for (std::size_t i = 0; i < bends.size(); ++i) {
        const double middle = -(bends.weight_a[i] + bends.weight_c[i]);
        elements_.push_back({.points = {bends.a[i], bends.middle[i], bends.c[i]},
                             .weights = {bends.weight_a[i], middle, bends.weight_c[i]},
                             .shortest_m = bends.rest_m[i],
                             .longest_m = bends.rest_m[i],
                             .stiffness = bends.stiffness[i],
                             .damping = bends.damping[i]});
    }
    number_pairs();
    solver_.emplace(3 * points_.size(), entries_);
    diagonal_.resize(3 * points_.size());
    numbers_.resize(entries_.size());
    right_.resize(3 * points_.size());
}

/// Entries of the matrix: three of each free point with itself, nine of each two that share an
/// element.
void Tangent::number_pairs() {
    for (std::uint32_t i = 0; i < points_.size(); ++i) {
        entries_.insert(entries_.end(),
                        {{3 * i, 3 * i + 1}, {3 * i, 3 * i + 2}, {3 * i + 1, 3 * i + 2}});
    }
    std::map<SparseSolver::Entry, std::uint32_t> known;
    const auto number_of = [&](std::uint32_t a, std::uint32_t b) {
        const std::uint32_t i = std::min(free_at_[a], free_at_[b]);
        const std::uint32_t j = std::max(free_at_[a], free_at_[b]);
        if (j == none || i == j) return none;
        const auto [found, is_new] =
            known.try_emplace({i, j}, static_cast<std::uint32_t>(entries_.size()));
        if (is_new) {
            for (std::uint32_t k = 0; k < 9; ++k)
                entries_.emplace_back(3 * i + k / 3, 3 * j + k % 3);
        }
        return found->second;
    };
    for (Element& each : elements_) {
        const auto& [a, b, c] = each.points;
        each.pairs = {number_of(a, b), number_of(b, c), number_of(a, c)};
        if (each.weights[2] == 0) each.pairs[1] = each.pairs[2] = none;
    }
}

std::span<Vector3> Tangent::vectors(std::size_t which) noexcept {
    return std::span{memory_}.subspan(which * masses_.size(), masses_.size());
}

/// The force is (k excess + c d'.u) u, u = d / |d|. A step's velocity moves d by h.
Tangent::Symmetric Tangent::find_slope(Element& element, std::span<const Vector3> x,
                                       std::span<const Vector3> v, double h) noexcept {
    Vector3 d;
    Vector3 rate;
    for (std::size_t p = 0; p < 3; ++p) {
        d = d + x[element.points[p]] * element.weights[p];
        rate = rate + v[element.points[p]] * element.weights[p];
    }
    element.slope = {};
    const double length = norm(d);
    const double excess =
        excess_of({.shortest_m = element.shortest_m, .longest_m = element.longest_m}, length);
    if (element.shortest_m < element.longest_m && excess == 0) return {};
    const double per_length = length > 0 ? 1 / length : 0;
    const Vector3 u = d * per_length;
    const double along = dot(rate, u);
    // A straight bend has no direction, but it does not give way either.
    const double across = length > 0
                              ? (element.stiffness * excess + element.damping * along) * per_length
                              : element.stiffness;
    const Vector3 by = u * (h * (element.stiffness - across) + element.damping) +
                       (rate - u * along) * (h * element.damping * per_length);
    const auto us = numbers(u);
    const auto bys = numbers(by);
    for (std::size_t i = 0; i < 3; ++i) {
        for (std::size_t j = 0; j < 3; ++j)
            element.slope[i][j] = h * (us[i] * bys[j] + (i == j ? h * across : 0));
    }
    const double all = std::max(0.0, across);
    return {u, h * (h * (element.stiffness - all) + element.damping), h * h * all};
}

/// Adds an element to the preconditioner.
void Tangent::add(const Element& element, const Symmetric& symmetric) noexcept {
    const auto us = numbers(symmetric.u);
    const auto number = [&](std::size_t i, std::size_t j) {
        return symmetric.along * us[i] * us[j] + (i == j ? symmetric.all : 0);
    };
    for (std::size_t p = 0; p < 3; ++p) {
        if (free_at_[element.points[p]] == none) continue;
        const std::size_t free = free_at_[element.points[p]];
        const double share = element.weights[p] * element.weights[p];
        for (std::size_t i = 0; i < 3; ++i) {
            diagonal_[3 * free + i] += share * number(i, i);
            numbers_[3 * free + i] += share * (i == 2 ? number(1, 2) : number(0, i + 1));
        }
    }
    constexpr std::array<std::array<std::size_t, 2>, 3> ends{{{0, 1}, {1, 2}, {0, 2}}};
    for (std::size_t pair = 0; pair < 3; ++pair) {
        if (element.pairs[pair] == none) continue;
        const double share = element.weights[ends[pair][0]] * element.weights[ends[pair][1]];
        for (std::size_t k = 0; k < 9; ++k)
            numbers_[element.pairs[pair] + k] += share * number(k / 3, k % 3);
    }
}

bool Tangent::prepare(std::span<const Vector3> x, std::span<const Vector3> v, double h) noexcept {
    std::fill(numbers_.begin(), numbers_.end(), 0.0);
    for (std::size_t i = 0; i < diagonal_.size(); ++i)
        diagonal_[i] = masses_[points_[i / 3]];
    for (Element& each : elements_)
        add(each, find_slope(each, x, v, h));
    return solver_->factor(diagonal_, numbers_);
}

void Tangent::multiply(std::span<const Vector3> y, std::span<Vector3> out) const noexcept {
    for (std::size_t i = 0; i < out.size(); ++i)
        out[i] = y[i] * masses_[i];
    for (const Element& each : elements_) {
        Vector3 d;
        for (std::size_t p = 0; p < 3; ++p)
            d = d + y[each.points[p]] * each.weights[p];
        const auto row = [&](std::size_t i) {
            return each.slope[i][0] * d.x + each.slope[i][1] * d.y + each.slope[i][2] * d.z;
        };
        const Vector3 force{row(0), row(1), row(2)};
        for (std::size_t p = 0; p < 3; ++p)
            out[each.points[p]] = out[each.points[p]] + force * each.weights[p];
    }
    for (std::size_t i = 0; i < out.size(); ++i) {
        if (free_at_[i] == none) out[i] = {};
    }
}

void Tangent::precondition(InstructionSet set, std::span<const Vector3> b,
                           std::span<Vector3> out) noexcept {
    for (std::size_t i = 0; i < points_.size(); ++i) {
        const auto of = numbers(b[points_[i]]);
        for (std::size_t k = 0; k < 3; ++k)
            right_[3 * i + k] = {of[k], 0, 0};
    }
    solver_->solve(set, right_);
    for (std::size_t i = 0; i < points_.size(); ++i)
        out[points_[i]] = {right_[3 * i].x, right_[3 * i + 1].x, right_[3 * i + 2].x};
}

bool Tangent::solve(InstructionSet set, std::span<const Vector3> x, std::span<const Vector3> v,
                    double h, std::span<Vector3> b) noexcept {
    if (!prepare(x, v, h)) return false;
    std::fill(memory_.begin(), memory_.end(), Vector3{});
    const std::span<Vector3> r = vectors(0);
    const std::span<Vector3> r0 = vectors(1);
    const std::span<Vector3> p = vectors(2);
    const std::span<Vector3> ap = vectors(3);
    const std::span<Vector3> as = vectors(4);
    const std::span<Vector3> way_p = vectors(5);
    const std::span<Vector3> way_s = vectors(6);
    const std::span<Vector3> y = vectors(7);
    for (std::size_t i = 0; i < b.size(); ++i) {
        if (free_at_[i] == none) y[i] = b[i];
    }
    multiply(y, r);
    for (std::size_t i = 0; i < b.size(); ++i)
        r0[i] = r[i] = b[i] * masses_[i] - r[i];
    const double enough = tolerance * tolerance * product(r0, r0);
    double rho = 1;
    double alpha = 1;
    double omega = 1;
    for (int iteration = 0; iteration < most_iterations && product(r, r) > enough; ++iteration) {
        const double rho_now = product(r0, r);
        const double beta = rho_now / rho * (alpha / omega);
        rho = rho_now;
        for (std::size_t i = 0; i < p.size(); ++i)
            p[i] = r[i] + (p[i] - ap[i] * omega) * beta;
        precondition(set, p, way_p);
        multiply(way_p, ap);
        alpha = rho / product(r0, ap);
        add_scaled(y, alpha, way_p);
        add_scaled(r, -alpha, ap);
        if (product(r, r) <= enough) break;
        precondition(set, r, way_s);
        multiply(way_s, as);
        omega = product(as, r) / product(as, as);
        add_scaled(y, omega, way_s);
        add_scaled(r, -omega, as);
    }
    if (!(product(r, r) <= product(r0, r0))) return false;
    std::copy(y.begin(), y.end(), b.begin());
    return true;
}

}  // namespace hopcoil::net
