#include "connections.hpp"

#include <algorithm>
#include <cmath>

namespace hopcoil::parts {
namespace {

/// Joints further apart than this when a substep begins are drawn together without adding velocity.
constexpr double drift = 1e-6;

/// The part of a spring's force that is taken at the end of the substep.
constexpr double ends_share = 1.0 / 12;

/// The part of the pull of a spring that pulls by at most `most`, drawn by the root of `square`.
double drawn_energy(double stiffness, double most, double square) {
    if (!(stiffness * stiffness * square > most * most)) return 0.5 * stiffness * square;
    return most * (std::sqrt(square) - 0.5 * most / stiffness);
}

/// The part of a damper's force that is taken at the end of the substep: half, and more where it
/// would stop its bodies within the substep.
double damping_at_end(double damping, double give, double h) {
    const double slowing = damping * h * give;
    return slowing <= 1 ? 0.5 : 1 - 0.5 / slowing;
}

}  // namespace

/// The row of a link's length, beyond the end of its range that is nearer.
Row Connections::row_of_link(std::size_t index, std::span<const Body> bodies) const noexcept {
    const Connection& one = all_[index];
    const double length = starts_[index].values[Connection::first_spring];
    Row row = one.row(bodies, one.frames(bodies), Connection::first_spring);
    const bool is_long = length - one.longest() >= one.shortest() - length;
    row.offset = is_long ? one.longest() : one.shortest();
    row.pushes_only = one.shortest() < one.longest();
    if (row.pushes_only && is_long) row.turn_round();
    row.see(length);
    row.at_start = row.value;
    return row;
}

/// The rows of a spring or link, and how far it is from where it would be.
void Connections::find_pull(std::size_t index, std::span<const Body> bodies) noexcept {
    const Connection& one = all_[index];
    Pull& pull = pulls_[index];
    pull.count = 0;
    pull.share = 1;
    pull.explicit_n = {};
    pull.motor = {};
    pull.aimed = {};
    one.begin(bodies, starts_[index]);
    const bool moves = bodies[one.a()].moves() || bodies[one.b()].moves();
    if (!one.holds || !moves || one.stiffness() >= stiff_as_rock) return;
    if (one.is_link()) {
        pull.count = 1;
        pull.rows[0] = row_of_link(index, bodies);
        pull.rates[0] = pull.rows[0].rate(bodies[one.a()], bodies[one.b()]);
        if (pull.rows[0].pushes_only && pull.rows[0].at_start >= 0) {
            pull.rows[0].at_start = 0;
            pull.rates[0] = 0;
        }
        return;
    }
    pull.count = one.spring_count();
    if (pull.count == 0) return;
    const Connection::Frames at = one.frames(bodies);
    const Vector3 aimed = one.aimed_rates(at);
    const Vector3 motor = one.motor_rates(at);
    pull.aimed = {aimed.x, aimed.y, aimed.z};
    pull.motor = {motor.x, motor.y, motor.z};
    for (std::size_t k = 0; k < pull.count; ++k) {
        pull.rows[k] = one.row(bodies, at, Connection::first_spring + k);
        pull.rows[k].at_start = starts_[index].values[Connection::first_spring + k];
        pull.rates[k] = pull.rows[k].rate(bodies[one.a()], bodies[one.b()]) - pull.aimed[k];
    }
}

/// The strength with which all springs and links of a body could accelerate it: k over the mass
/// they act on.
void Connections::add_loads(std::size_t index, std::span<const Body> bodies) noexcept {
    const Connection& one = all_[index];
    const Pull& pull = pulls_[index];
    for (std::size_t k = 0; k < pull.count; ++k) {
        const Row& row = pull.rows[k];
        const double k_spring = stiffness_of(index);
        const double square = dot(row.direction, row.direction);
        loads_[one.a()] +=
            k_spring * (bodies[one.a()].inverse_now * square + dot(row.on_a, row.turned_a));
        loads_[one.b()] +=
            k_spring * (bodies[one.b()].inverse_now * square + dot(row.on_b, row.turned_b));
    }
}

double Connections::stiffness_of(std::size_t index) const noexcept {
    return all_[index].stiffness() * (all_[index].is_link() ? 1 : spring_stiffness_);
}

double Connections::damping_of(std::size_t index) const noexcept {
    return all_[index].damping() * (all_[index].is_link() ? 1 : spring_damping_);
}

/// As far as the substep can follow a spring, it pulls as from where the substep begins, with a
/// twelfth each of where the substep ends and of where the one before began: so its period is
/// right to fourth order (Newmark's method with beta = 1/12), and nothing damps it.
void Connections::pull_at_start(std::size_t index, std::span<Body> bodies, double h) noexcept {
    const Connection& one = all_[index];
    Pull& pull = pulls_[index];
    if (pull.count == 0) return;
    const double load = std::max(loads_[one.a()], loads_[one.b()]);
    pull.share = load * h * h > 1 ? 1 / (load * h * h) : 1;
    Vector3 force{};
    const std::array<double*, 3> components{&force.x, &force.y, &force.z};
    for (std::size_t k = 0; k < pull.count; ++k) {
        const Row& row = pull.rows[k];
        const double damping = damping_of(index);
        pull.at_end[k] = damping_at_end(damping, row.give(bodies[row.a], bodies[row.b]), h);
        *components[k] = -pull.share * stiffness_of(index) *
                             ((1 - ends_share) * row.at_start - ends_share * h * pull.rates[k]) -
                         (1 - pull.at_end[k]) * damping * (pull.rates[k] - pull.motor[k]);
    }
    const double size = norm(force);
    if (!one.is_link() && size > one.most()) force = force * (one.most() / size);
    pull.explicit_n = force;
    for (std::size_t k = 0; k < pull.count; ++k)
        pull.rows[k].apply(bodies[one.a()], bodies[one.b()], *components[k] * h, 0);
}

void Connections::add_row(const Row& row, std::size_t owner) noexcept {
    rows_[row_count_] = row;
    rows_[row_count_].owner = static_cast<std::uint32_t>(owner);
    ++row_count_;
}

void Connections::add_held(std::size_t index, std::span<const Body> bodies) noexcept {
    const std::size_t count = all_[index].held_count();
    const Connection::Frames at = all_[index].frames(bodies);
    for (std::size_t k = 0; k < count; ++k) {
        Row row = all_[index].row(bodies, at, k);
        row.at_start = starts_[index].values[k];
        row.target = std::abs(row.at_start) > drift ? row.at_start : 0;
        add_row(row, index);
    }
}

/// The limits that may be reached in this substep.
void Connections::add_limits(std::size_t index, std::span<const Body> bodies) noexcept {
    constexpr double near = 0.6;
    for (std::size_t k = Connection::first_limit; k < Connection::first_spring; ++k) {
        if (!all_[index].has_limit(k) || starts_[index].values[k] > near) continue;
        Row row = all_[index].row(bodies, all_[index].frames(bodies), k);
        row.at_start = starts_[index].values[k];
        row.target = std::min(row.at_start, 0.0);
        add_row(row, index);
    }
}

void Connections::add_hard_link(std::size_t index, std::span<const Body> bodies) noexcept {
    Row row = row_of_link(index, bodies);
    row.target = std::abs(row.at_start) > drift ? row.at_start : 0;
    if (row.pushes_only) row.target = std::min(row.at_start, 0.0);
    add_row(row, index);
}

/// The part of a spring that its force at the start does not do, and its damping.
void Connections::add_spring(std::size_t index, std::span<const Body> bodies, double h) noexcept {
    const Pull& pull = pulls_[index];
    for (std::size_t k = 0; k < pull.count; ++k) {
        Row row = pull.rows[k];
        const double give = row.give(bodies[row.a], bodies[row.b]);
        if (!(give > 0)) continue;
        const double damping = damping_of(index) * pull.at_end[k];
        const double at_end = 1 - pull.share * (1 - ends_share);
        const double firmness = at_end * stiffness_of(index) + damping / h;
        if (!(firmness > 0)) continue;
        row.softness = 1 / (h * firmness);
        row.target = damping / (h * firmness) * (row.at_start + pull.motor[k] * h);
        add_row(row, index);
    }
}

void Connections::begin(std::span<Body> bodies, double h, double remaining_s) noexcept {
    row_count_ = 0;
    energy_at_start_ = 0;
    std::fill(loads_.begin(), loads_.end(), 0.0);
    for (std::size_t i = 0; i < all_.size(); ++i) {
        all_[i].aim_at(remaining_s + h);
        find_pull(i, bodies);
        add_loads(i, bodies);
        all_[i].aim_at(remaining_s);
    }
    for (const std::uint32_t index : order_) {
        const Connection& one = all_[index];
        const bool moves = bodies[one.a()].moves() || bodies[one.b()].moves();
        if (!one.holds || !moves) continue;
        if (one.is_link() && one.stiffness() >= stiff_as_rock) {
            add_hard_link(index, bodies);
            continue;
        }
        pull_at_start(index, bodies, h);
        double square = 0;
        for (std::size_t k = 0; k < pulls_[index].count; ++k)
            square += pulls_[index].rows[k].at_start * pulls_[index].rows[k].at_start;
        energy_at_start_ += drawn_energy(stiffness_of(index), one.most(), square);
        add_held(index, bodies);
        add_spring(index, bodies, h);
        add_limits(index, bodies);
    }
}

bool Connections::factor(std::span<Body> bodies, double h) noexcept {
    active_count_ = 0;
    for (std::size_t i = 0; i < row_count_; ++i) {
        if (rows_[i].is_active) active_[active_count_++] = static_cast<std::uint32_t>(i);
    }
    std::fill(first_of_body_.begin(), first_of_body_.end(),
              static_cast<std::uint32_t>(active_count_));
    for (std::uint32_t i = 0; i < active_count_; ++i) {
        const Row& row = rows_[active_[i]];
        firsts_[i] = i;
        for (const std::uint32_t body : {row.a, row.b}) {
            if (!bodies[body].moves()) continue;
            first_of_body_[body] = std::min(first_of_body_[body], i);
            firsts_[i] = std::min(firsts_[i], first_of_body_[body]);
        }
    }
    if (!matrix_.begin({firsts_.data(), active_count_})) return false;
    for (std::size_t i = 0; i < active_count_; ++i) {
        const Row& row = rows_[active_[i]];
        for (std::size_t j = firsts_[i]; j <= i; ++j)
            matrix_.at(i, j) = Row::coupling(row, rows_[active_[j]], bodies.data());
        matrix_.at(i, i) += row.softness / h;
    }
    matrix_.factor();
    return true;
}

void Connections::correct(std::span<Body> bodies, double h) noexcept {
    for (std::size_t i = 0; i < active_count_; ++i)
        sides_[i] = -rows_[active_[i]].error() / h;
    matrix_.solve({sides_.data(), active_count_});
    for (std::size_t i = 0; i < active_count_; ++i) {
        Row& row = rows_[active_[i]];
        row.impulse += sides_[i];
        row.apply(bodies[row.a], bodies[row.b], sides_[i], h);
    }
}

void Connections::see_all(std::span<Body> bodies) noexcept {
    catch_up(bodies);
    std::size_t owner = all_.size();
    for (std::size_t i = 0; i < row_count_; ++i) {
        Row& row = rows_[i];
        if (row.owner != owner) {
            owner = row.owner;
            all_[owner].measure(bodies, starts_[owner], seen_[owner]);
        }
        row.see(seen_[owner][row.component]);
    }
}

/// Rows that would pull where they can only push are released; rows beyond their limit are held.
bool Connections::change_active(std::span<Body> bodies, double h) noexcept {
    constexpr double beyond = 1e-7;
    bool changed = false;
    for (std::size_t i = 0; i < row_count_; ++i) {
        Row& row = rows_[i];
        if (!row.pushes_only || row.is_capped) continue;
        if (row.is_active && row.impulse < 0) {
            row.apply(bodies[row.a], bodies[row.b], -row.impulse, h);
            row.impulse = 0;
            row.is_active = false;
            changed = true;
        } else if (!row.is_active && row.softness == 0 && row.value < row.target - beyond) {
            row.is_active = true;
            changed = true;
        }
    }
    return changed;
}

/// A spring that would exceed its cap pulls with the cap.
bool Connections::cap_springs(std::span<Body> bodies, double h) noexcept {
    bool changed = false;
    for (std::size_t i = 0; i < row_count_; ++i) {
        Row& row = rows_[i];
        const Connection& one = all_[row.owner];
        const bool is_first = row.component == Connection::first_spring;
        if (one.is_link() || !is_first || row.is_capped || one.most() >= 1e9) continue;
        const std::size_t count = pulls_[row.owner].count;
        const Vector3& given = pulls_[row.owner].explicit_n;
        const std::array<double, 3> start{given.x, given.y, given.z};
        double square = 0;
        for (std::size_t k = 0; k < count; ++k) {
            const double whole = start[k] + rows_[i + k].impulse / h;
            square += whole * whole;
        }
        if (!(square > one.most() * one.most() * (1 + 1e-9))) continue;
        const double part = one.most() / std::sqrt(square);
        for (std::size_t k = 0; k < count; ++k) {
            Row& each = rows_[i + k];
            const double whole = start[k] + each.impulse / h;
            const double wanted = (whole * part - start[k]) * h;
            each.apply(bodies[each.a], bodies[each.b], wanted - each.impulse, h);
            each.impulse = wanted;
            each.is_active = false;
            each.is_capped = true;
        }
        changed = true;
    }
    return changed;
}

double Connections::worst_error() const noexcept {
    double worst = 0;
    for (std::size_t i = 0; i < active_count_; ++i)
        worst = std::max(worst, std::abs(rows_[active_[i]].error()));
    for (std::size_t i = 0; i < row_count_; ++i) {
        const Row& row = rows_[i];
        if (!row.is_active && row.pushes_only && row.softness == 0)
            worst = std::max(worst, row.target - row.value);
    }
    return worst;
}

double Connections::largest_load() const noexcept {
    return loads_.empty() ? 0 : *std::max_element(loads_.begin(), loads_.end());
}

/// The velocity that a target or motor gives to a component of a spring; its force does work there.
double Connections::wanted_rate(const Pull& pull, std::size_t component) noexcept {
    const std::size_t k = component - Connection::first_spring;
    return pull.aimed[k] + pull.motor[k];
}

double Connections::driven_work(std::span<const Body> bodies, double h) const noexcept {
    double work = 0;
    const auto add = [&](const Row& row, double impulse) {
        const Body& a = bodies[row.a];
        const Body& b = bodies[row.b];
        if (a.inverse_mass == 0)
            work += impulse * (dot(row.direction, a.velocity) - dot(row.on_a, a.momentum));
        if (b.inverse_mass == 0)
            work -= impulse * (dot(row.direction, b.velocity) + dot(row.on_b, b.momentum));
    };
    for (std::size_t i = 0; i < row_count_; ++i) {
        const Row& row = rows_[i];
        if (row.impulse == 0) continue;
        add(row, row.impulse);
        if (row.component >= Connection::first_spring)
            work += row.impulse * wanted_rate(pulls_[row.owner], row.component);
    }
    for (const Pull& pull : pulls_) {
        const std::array<double, 3> forces{pull.explicit_n.x, pull.explicit_n.y, pull.explicit_n.z};
        for (std::size_t k = 0; k < pull.count; ++k) {
            add(pull.rows[k], forces[k] * h);
            work += forces[k] * h * wanted_rate(pull, pull.rows[k].component);
        }
    }
    return work;
}

bool Connections::is_off(const Row& row) const noexcept {
    if (row.softness > 0 || (row.pushes_only && row.value > 0)) return false;
    return std::abs(row.value) > drift;
}

double Connections::largest_gap(std::span<Body> bodies) noexcept {
    if (row_count_ == 0) return 0;
    see_all(bodies);
    double largest = 0;
    for (std::size_t i = 0; i < active_count_; ++i) {
        const Row& row = rows_[active_[i]];
        if (is_off(row)) largest = std::max(largest, std::abs(row.value));
    }
    return largest;
}

void Connections::draw_together(std::span<Body> bodies) noexcept {
    constexpr double most = 0.005;
    if (!(largest_gap(bodies) > 0)) return;
    for (std::size_t i = 0; i < active_count_; ++i) {
        const Row& row = rows_[active_[i]];
        sides_[i] = is_off(row) ? -std::clamp(row.value, -most, most) : 0;
    }
    matrix_.solve({sides_.data(), active_count_});
    for (std::size_t i = 0; i < active_count_; ++i) {
        const Row& row = rows_[active_[i]];
        row.shift(bodies[row.a], bodies[row.b], sides_[i]);
    }
}

double Connections::solve(std::span<Body> bodies, double h) noexcept {
    constexpr int most_rounds = 8;
    constexpr int most_changes = 4;
    constexpr double close = 1e-9;
    if (row_count_ == 0) return 0;
    see_all(bodies);
    for (std::size_t i = 0; i < row_count_; ++i) {
        Row& row = rows_[i];
        row.is_active = !row.pushes_only || row.value < row.target;
    }
    bool is_stale = true;
    int changes = 0;
    for (int round = 0; round < most_rounds; ++round) {
        if (is_stale && !factor(bodies, h)) return 0;
        is_stale = false;
        correct(bodies, h);
        see_all(bodies);
        if (changes < most_changes) {
            is_stale = change_active(bodies, h);
            is_stale = cap_springs(bodies, h) || is_stale;
            if (is_stale) ++changes;
        }
        if (!is_stale && worst_error() < close) break;
    }
    catch_up(bodies);
    return worst_error();
}

double Connections::settle(std::span<Body> bodies, double h) noexcept {
    constexpr int rounds = 2;
    if (row_count_ == 0) return 0;
    see_all(bodies);
    for (int round = 0; round < rounds; ++round) {
        correct(bodies, h);
        see_all(bodies);
    }
    return worst_error();
}

double Connections::energy(std::span<const Body> bodies) const noexcept {
    double sum = 0;
    for (std::size_t index = 0; index < all_.size(); ++index) {
        const Connection& one = all_[index];
        if (!one.holds || one.stiffness() >= stiff_as_rock) continue;
        double square = 0;
        if (one.is_link()) {
            const double excess = one.link_excess(one.length(bodies));
            square = excess * excess;
        } else {
            Connection::SpringStart now;
            if (one.spring_count() > 0) one.begin(bodies, now);
            for (std::size_t k = 0; k < one.spring_count(); ++k) {
                const double way = now.values[Connection::first_spring + k];
                square += way * way;
            }
        }
        sum += drawn_energy(stiffness_of(index), one.most(), square);
    }
    return sum;
}

double Connections::stiffest(std::span<const Body> bodies, double h) const {
    Connections copy = *this;
    std::vector<Body> still{bodies.begin(), bodies.end()};
    for (Body& body : still)
        body.begin();
    std::fill(copy.loads_.begin(), copy.loads_.end(), 0.0);
    for (std::size_t i = 0; i < copy.all_.size(); ++i) {
        copy.find_pull(i, still);
        copy.add_loads(i, still);
    }
    return copy.largest_load() * h * h;
}

}  // namespace hopcoil::parts
