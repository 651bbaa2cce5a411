#include <algorithm>
#include <cmath>
#include <stdexcept>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/time_step.hpp>
#include <hopcoil/points/chain_bank.hpp>
#include <hopcoil/spring/step_coefficients.hpp>

#include "chain_kernels.hpp"
#include "chain_math.hpp"

namespace hopcoil {

using namespace chain;  // NOLINT: its own helpers

namespace {

constexpr std::size_t output_count = 6;
constexpr float furthest_m = 1e9F;
constexpr double most_substeps = 64;

void require_for_bank(const ChainSettings& settings) {
    require_valid(settings);
    if (settings.bend_limit_rad < math::pi) {
        throw InvalidValue{"bend_limit_rad", settings.bend_limit_rad,
                           "no limit: chains of a bank bend freely"};
    }
    if (settings.undulation.amplitude_m != 0) {
        throw InvalidValue{"undulation.amplitude_m", settings.undulation.amplitude_m,
                           "0: chains of a bank do not undulate"};
    }
    if (settings.is_flat) throw InvalidValue{"is_flat", 1, "false, in a bank"};
}

bool is_usable(float number) noexcept {
    return std::abs(number) <= furthest_m;
}

template <class Axes>
std::array<const float*, 3> pointers(const Axes& axes, std::size_t at) {
    return {axes[0].data() + at, axes[1].data() + at, axes[2].data() + at};
}

/// The three numbers of one chain.
template <class Axes>
Vector3 numbers_at(const Axes& axes, std::size_t chain) {
    return {axes[0][chain], axes[1][chain], axes[2][chain]};
}
template <class Axes>
void put_numbers(Axes& axes, std::size_t chain, const Vector3& v) {
    axes[0][chain] = static_cast<float>(v.x);
    axes[1][chain] = static_cast<float>(v.y);
    axes[2][chain] = static_cast<float>(v.z);
}

}  // namespace

ChainBank::ChainBank(const ChainSettings& settings, std::size_t chains)
    : settings_{settings}, chains_{chains}, set_{best_instruction_set()} {
    require_for_bank(settings);
    const std::size_t blocks = (chains + lanes - 1) / lanes;
    const bool fixed = settings.spacing == ChainSpacing::fixed;
    links_.resize(blocks * settings.nodes * field_count * lanes);
    if (fixed) outputs_.resize(blocks * settings.nodes * output_count * lanes);
    rows_.resize(settings.nodes);
    sound_.resize(blocks * lanes);
    for (Axes* axes : {&root_, &next_root_, &root_velocity_, &root_slope_, &stream_, &rest_,
                       &rest_before_, &way_, &end_velocity_, &blown_rest_, &rest_rate_}) {
        for (std::vector<float>& axis : *axes)
            axis.resize(blocks * lanes);
    }
    const Vector3 rest = unit(settings.rest_direction, {0, -1, 0});
    for (std::size_t i = 0; i < blocks * lanes; ++i) {
        put_numbers(rest_, i, rest);
        put_numbers(stream_, i, settings.hanging_m_per_s);
        put_at_rest(i);
    }
}

void ChainBank::retune(const ChainSettings& settings) {
    require_for_bank(settings);
    if (settings.nodes != settings_.nodes)
        throw InvalidValue{"nodes", static_cast<double>(settings.nodes), "as many as there are"};
    if (settings.spacing != settings_.spacing)
        throw InvalidValue{"spacing", static_cast<double>(settings.spacing), "the kind it has"};
    settings_ = settings;
    rows_h_ = -1;
}

/// The offset of one of the numbers of a node.
std::size_t ChainBank::place_of(std::size_t chain, std::size_t node, std::size_t number,
                                std::size_t numbers) const noexcept {
    const std::size_t block = chain / lanes;
    return ((block * settings_.nodes + node) * numbers + number) * lanes + chain % lanes;
}

void ChainBank::put_at_rest(std::size_t chain) noexcept {
    const bool fixed = settings_.spacing == ChainSpacing::fixed;
    const Vector3 own = unit(numbers_at(rest_, chain), {0, -1, 0});
    const Vector3 blown = unit(own * settings_.stiffness_m_per_s + numbers_at(stream_, chain), own);
    const Vector3 rest = fixed ? own : blown;
    put_numbers(rest_before_, chain, blown);
    put_numbers(root_velocity_, chain, {});
    put_numbers(root_slope_, chain, {});
    Vector3 place{};
    for (std::size_t node = 0; node < settings_.nodes; ++node) {
        place = place + rest * settings_.spacing_m;
        const Vector3& at = fixed ? rest : place;
        for (std::size_t k = 0; k < 3; ++k) {
            links_[place_of(chain, node, Field::place + k, field_count)] =
                static_cast<float>(std::array{at.x, at.y, at.z}[k]);
            for (const Field field : {Field::gap, Field::velocity, Field::target_velocity})
                links_[place_of(chain, node, field + k, field_count)] = 0;
            if (!fixed) continue;
            outputs_[place_of(chain, node, k, output_count)] =
                static_cast<float>(std::array{place.x, place.y, place.z}[k]);
            outputs_[place_of(chain, node, 3 + k, output_count)] = 0;
        }
    }
}

void ChainBank::set_next_root(std::size_t chain, const Vector3& root) {
    if (chain >= chains_) throw std::out_of_range{"no such chain"};
    put_numbers(next_root_, chain, root);
}

void ChainBank::reset(std::size_t chain, const Vector3& root) {
    cut(chain, root);
    put_at_rest(chain);
}

void ChainBank::cut(std::size_t chain, const Vector3& root) {
    set_next_root(chain, root);
    put_numbers(root_, chain, root);
}

float ChainBank::offset(std::size_t chain, std::size_t node, std::size_t axis) const {
    const bool fixed = settings_.spacing == ChainSpacing::fixed;
    return fixed ? outputs_[place_of(chain, node - 1, axis, output_count)]
                 : links_[place_of(chain, node - 1, Field::place + axis, field_count)];
}
float ChainBank::speed(std::size_t chain, std::size_t node, std::size_t axis) const {
    const bool fixed = settings_.spacing == ChainSpacing::fixed;
    return fixed ? outputs_[place_of(chain, node - 1, 3 + axis, output_count)]
                 : links_[place_of(chain, node - 1, Field::velocity + axis, field_count)];
}

void ChainBank::read_offsets(std::size_t node, std::size_t axis, std::span<float> numbers) const {
    if (node < 1 || node > settings_.nodes || axis > 2) throw std::out_of_range{"no such node"};
    for (std::size_t i = 0; i < std::min(numbers.size(), chains_); ++i)
        numbers[i] = offset(i, node, axis);
}
void ChainBank::read_velocities(std::size_t node, std::size_t axis,
                                std::span<float> numbers) const {
    if (node < 1 || node > settings_.nodes || axis > 2) throw std::out_of_range{"no such node"};
    for (std::size_t i = 0; i < std::min(numbers.size(), chains_); ++i)
        numbers[i] = speed(i, node, axis);
}
Vector3 ChainBank::position(std::size_t chain, std::size_t node) const {
    if (chain >= chains_ || node > settings_.nodes) throw std::out_of_range{"no such node"};
    const Vector3 root = numbers_at(root_, chain);
    if (node == 0) return root;
    return root + Vector3{offset(chain, node, 0), offset(chain, node, 1), offset(chain, node, 2)};
}
Vector3 ChainBank::velocity(std::size_t chain, std::size_t node) const {
    if (chain >= chains_ || node > settings_.nodes) throw std::out_of_range{"no such node"};
    if (node == 0) return numbers_at(root_velocity_, chain);
    return {speed(chain, node, 0), speed(chain, node, 1), speed(chain, node, 2)};
}

/// Ways and rest directions of the step; invalid inputs are ignored.
void ChainBank::take_inputs(double dt) noexcept {
    const auto per_s = static_cast<float>(1 / dt);
    const auto before = static_cast<float>(last_dt_ > 0 ? dt / (dt + last_dt_) : 0);
    const auto stiffness = static_cast<float>(settings_.stiffness_m_per_s);
    for (std::size_t i = 0; i < chains_; ++i) {
        bool is_good = true;
        for (std::size_t k = 0; k < 3; ++k) {
            is_good = is_good && is_usable(next_root_[k][i]) && is_usable(stream_[k][i]) &&
                      is_usable(rest_[k][i]);
        }
        if (!is_good) {
            ++rejected_inputs_;
            put_numbers(stream_, i, {});
        }
        float rest[3];
        float square = 0;
        for (std::size_t k = 0; k < 3; ++k) {
            const float to = is_good ? next_root_[k][i] : root_[k][i];
            way_[k][i] = to - root_[k][i];
            // At the end of the parabola through the last three places.
            const float slope = way_[k][i] * per_s;
            const float bend = (slope - root_slope_[k][i]) * before;
            end_velocity_[k][i] = way_[k][i] == 0 ? 0 : slope + bend;
            root_slope_[k][i] = slope;
            root_[k][i] = to;
            rest[k] = is_good ? rest_[k][i] * stiffness + stream_[k][i] : rest_before_[k][i];
            square += rest[k] * rest[k];
        }
        const bool has_rest = square > 1e-12F && square < 1e30F;
        const float inverse = has_rest ? 1 / std::sqrt(square) : 0;
        for (std::size_t k = 0; k < 3; ++k) {
            const float unit_k = has_rest ? rest[k] * inverse : rest_before_[k][i];
            blown_rest_[k][i] = unit_k;
            rest_rate_[k][i] = (unit_k - rest_before_[k][i]) * per_s;
            rest_before_[k][i] = unit_k;
        }
    }
}

/// Substeps as for Chain, for the quickest chain of all.
std::size_t ChainBank::substeps(double dt) const noexcept {
    const double quickest_hz = std::max(settings_.root.frequency_hz, settings_.tip.frequency_hz);
    const double least_damping =
        std::min(settings_.root.damping_ratio, settings_.tip.damping_ratio);
    double wanted = std::max(1.0, quickest_hz * dt * (least_damping < 0.7 ? 4 : 2));
    if (settings_.spacing == ChainSpacing::fixed) {
        float square = 0;
        float blown = 0;
        for (std::size_t i = 0; i < chains_; ++i) {
            const auto fastest = [&](const Axes& axes) {
                return axes[0][i] * axes[0][i] + axes[1][i] * axes[1][i] + axes[2][i] * axes[2][i];
            };
            square = std::max({square, fastest(root_velocity_), fastest(end_velocity_)});
            const float stream = fastest(stream_);
            blown = std::max(blown, stream < 1e18F ? stream : 0.0F);
        }
        const double speed =
            std::sqrt(static_cast<double>(square)) + std::sqrt(static_cast<double>(blown));
        wanted = std::max(wanted, dt * speed / (0.25 * settings_.spacing_m));
    }
    return static_cast<std::size_t>(std::ceil(std::min(wanted, most_substeps)));
}

void ChainBank::find_rows(double h) noexcept {
    if (h == rows_h_) return;
    Tuning last{};
    for (std::size_t i = 0; i < rows_.size(); ++i) {
        const Tuning tuning = tuning_of_link(settings_, i);
        if (i > 0 && tuning == last) {
            rows_[i] = rows_[i - 1];
            continue;
        }
        rows_[i] = rows::in_order(rounded<float>(cubic_rows(tuning, h)));
        last = tuning;
    }
    rows_h_ = h;
}

StepStatus ChainBank::step(double dt) noexcept {
    if (!is_time_step(dt) || (dt > 0 && !(dt > 1e-9 && dt < 1e9))) {
        ++rejected_inputs_;
        return StepStatus::rejected;
    }
    if (dt == 0) {  // wherever the roots have jumped, the chains go along
        for (std::size_t k = 0; k < 3; ++k) {
            for (std::size_t i = 0; i < chains_; ++i)
                root_[k][i] = is_usable(next_root_[k][i]) ? next_root_[k][i] : root_[k][i];
        }
        return StepStatus::stepped;
    }
    take_inputs(dt);
    const std::size_t parts = substeps(dt);
    const double h = dt / static_cast<double>(parts);
    find_rows(h);
    const bool fixed = settings_.spacing == ChainSpacing::fixed;
    for (std::size_t at = 0; at < chains_; at += lanes) {
        BankStep some{
            .nodes = settings_.nodes,
            .links = links_.data() + place_of(at, 0, 0, field_count),
            .outputs = fixed ? outputs_.data() + place_of(at, 0, 0, output_count) : nullptr,
            .rows = rows_.data(),
            .way = pointers(way_, at),
            .first_velocity = pointers(root_velocity_, at),
            .last_velocity = pointers(end_velocity_, at),
            .rest = pointers(blown_rest_, at),
            .rest_rate = pointers(rest_rate_, at),
            .stream = pointers(stream_, at),
            .sound = sound_.data() + at,
            .dt = static_cast<float>(dt),
            .h = static_cast<float>(h),
            .spacing = static_cast<float>(settings_.spacing_m),
            .carry = static_cast<float>(settings_.carry)};
        for (std::size_t part = 0; part < parts; ++part) {
            some.from = static_cast<float>(part) / static_cast<float>(parts);
            some.to = static_cast<float>(part + 1) / static_cast<float>(parts);
            (fixed ? step_fixed : step_stretchy)(set_, some);
        }
        if (fixed) find_fixed_outputs(set_, some);
    }
    std::swap(root_velocity_, end_velocity_);
    last_dt_ = dt;
    for (std::size_t i = 0; i < chains_; ++i) {
        if (sound_[i] == 0) continue;
        put_at_rest(i);
        ++rejected_inputs_;
    }
    return StepStatus::stepped;
}

}  // namespace hopcoil
