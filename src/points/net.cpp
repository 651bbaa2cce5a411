#include <algorithm>
#include <array>
#include <cmath>
#include <stdexcept>
#include <string>

#include <hopcoil/base/dials_through.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/time_step.hpp>
#include <hopcoil/points/net.hpp>

#include "../base/vectors.hpp"
#include "net_air.hpp"
#include "net_contacts.hpp"
#include "net_solver.hpp"

namespace hopcoil {

struct NetWorks {
    NetWorks(const NetStructure& structure, const NetSettings& settings, NetMethod method)
        : contacts{structure, settings, method}, air{structure, settings} {
        for (const NetPoint& point : structure.points)
            per_mass.push_back(1 / point.mass_kg);
        solver = method == NetMethod::forces      ? make_force_solver(structure, settings)
                 : method == NetMethod::positions ? make_position_solver(structure, settings)
                                                  : make_implicit_solver(structure, settings);
    }
    NetWorks(const NetWorks& other)
        : contacts{other.contacts},
          air{other.air},
          per_mass{other.per_mass},
          solver{other.solver->clone()} {}
    NetWorks(NetWorks&&) = delete;
    NetWorks& operator=(const NetWorks&) = delete;
    NetWorks& operator=(NetWorks&&) = delete;
    ~NetWorks() = default;

    NetContacts contacts;
    NetAir air;
    std::vector<double> per_mass;  ///< 1 over the mass of each point, also of those that are pinned
    std::unique_ptr<NetSolver> solver;
};

namespace {

constexpr std::size_t most_net_substeps = 20'000;
constexpr double longest_air_step_s = 1.0 / 240;
/// A hand pulls with its full force beyond this distance.
constexpr double grab_reach_m = 0.1;

NetState at_rest(const NetStructure& structure) {
    NetState state;
    for (const NetPoint& point : structure.points)
        state.x.push_back(point.position);
    state.v.resize(state.x.size());
    state.x_before = state.x;
    state.v_before = state.v;
    state.touches.resize(state.x.size());
    return state;
}

bool are_finite(std::span<const Vector3> all) noexcept {
    return std::all_of(all.begin(), all.end(), is_finite_vector);
}

void copy_state(const NetState& from, NetState& to) noexcept {
    std::copy(from.x.begin(), from.x.end(), to.x.begin());
    std::copy(from.v.begin(), from.v.end(), to.v.begin());
    std::copy(from.x_before.begin(), from.x_before.end(), to.x_before.begin());
    std::copy(from.v_before.begin(), from.v_before.end(), to.v_before.begin());
    std::copy(from.touches.begin(), from.touches.end(), to.touches.begin());
    to.dt_before = from.dt_before;
}

}  // namespace

Net::Net(NetStructure structure, const NetSettings& settings)
    : structure_{std::move(structure)}, settings_{settings} {
    require_valid(structure_);
    require_valid(settings_);
    state_ = kept_ = at_rest(structure_);
    forces_.resize(state_.x.size());
    rebuild();
}

Net::Net(const Net& other)
    : structure_{other.structure_},
      settings_{other.settings_},
      plan_{other.plan_},
      state_{other.state_},
      kept_{other.kept_},
      pins_{other.pins_},
      forces_{other.forces_},
      lasting_{other.lasting_},
      accelerations_{other.accelerations_},
      pins_from_{other.pins_from_},
      pins_to_{other.pins_to_},
      works_{other.works_ ? std::make_unique<NetWorks>(*other.works_) : nullptr},
      channels_{other.channels_},
      set_{other.set_},
      contact_depth_m_{other.contact_depth_m_},
      rejected_inputs_{other.rejected_inputs_} {}

Net& Net::operator=(const Net& other) {
    if (this != &other) *this = Net{other};
    return *this;
}
Net::Net(Net&&) noexcept = default;
Net& Net::operator=(Net&&) noexcept = default;
Net::~Net() = default;

void Net::rebuild() {
    plan_ = plan_for(structure_, settings_);
    pins_ = net::pinned_points(structure_);
    pins_from_.resize(pins_.size());
    pins_to_.resize(pins_.size());
    lasting_.resize(state_.x.size());
    accelerations_.resize(state_.x.size());
    works_ =
        std::make_unique<NetWorks>(net::scaled(structure_, settings_), settings_, plan_.method);
    channels_ = {{"position", ChannelKind::vector, 3, "m", state_.x.size()},
                 {"velocity", ChannelKind::vector, 3, "m_per_s", state_.x.size()}};
}

StepStatus Net::reject() noexcept {
    ++rejected_inputs_;
    return StepStatus::rejected;
}

bool Net::can_use(const NetInputs& inputs, double dt) const noexcept {
    if (!is_time_step(dt) || !std::isfinite(inputs.time_s)) return false;
    if (!inputs.pins.empty() && inputs.pins.size() != pins_.size()) return false;
    if (inputs.shapes.size() > net::most_shapes) return false;
    const bool grabs_are_good =
        std::all_of(inputs.grabs.begin(), inputs.grabs.end(), [&](const NetGrab& grab) {
            return grab.point < size() && grab.radius_m >= 0 && is_finite_vector(grab.target) &&
                   grab.most_force_n >= 0 && std::isfinite(grab.most_force_n);
        });
    const bool shapes_are_good =
        std::all_of(inputs.shapes.begin(), inputs.shapes.end(), [](const ContactShape& shape) {
            return is_finite_vector(shape.position) && is_finite_vector(shape.velocity) &&
                   is_finite_vector(shape.angular_velocity) && shape.radius_m >= 0 &&
                   std::isfinite(length_of(shape.rotation));
        });
    return are_finite(inputs.pins) && grabs_are_good && shapes_are_good;
}

std::size_t Net::substeps_of(double dt) const noexcept {
    const double wanted = static_cast<double>(plan_.substeps) * dt / settings_.frame_s;
    return static_cast<std::size_t>(
        std::clamp(std::ceil(wanted - 1e-6), 1.0, static_cast<double>(most_net_substeps)));
}

namespace {

/// The air changes more slowly than links do: it is evaluated every so many substeps, evenly over a
/// step where possible.
std::size_t substeps_between_looks(std::size_t count, double h) noexcept {
    const auto most = static_cast<std::size_t>(std::clamp(longest_air_step_s / h, 1.0, 1e6));
    const std::size_t least_looks = (count + most - 1) / most;
    for (std::size_t looks = least_looks; looks <= 2 * least_looks; ++looks) {
        if (count % looks == 0) return count / looks;
    }
    return most;
}

}  // namespace

StepStatus Net::step(const NetInputs& inputs, double dt) noexcept {
    if (!can_use(inputs, dt)) return reject();
    if (dt == 0) return StepStatus::stepped;
    copy_state(state_, kept_);
    for (std::size_t i = 0; i < pins_.size(); ++i)
        pins_from_[i] = state_.x[pins_[i]];
    works_->air.find_wind(inputs.wind, inputs.time_s, state_.x);
    works_->contacts.begin_step();
    const std::size_t count = substeps_of(dt);
    const double h = dt / static_cast<double>(count);
    const std::size_t apart = substeps_between_looks(count, h);
    for (std::size_t i = 1; i <= count; ++i) {
        if ((i - 1) % apart == 0) {
            works_->air.find(state_, h * static_cast<double>(std::min(apart, count - i + 1)));
            find_lasting_accelerations();
        }
        const double part = static_cast<double>(i) / static_cast<double>(count);
        if (!substep(inputs, h, part, dt * (1 - part))) {
            copy_state(kept_, state_);
            return StepStatus::diverged;
        }
    }
    contact_depth_m_ = works_->contacts.depth_m();
    return StepStatus::stepped;
}

bool Net::substep(const NetInputs& inputs, double h, double part, double remaining_s) noexcept {
    for (std::size_t i = 0; i < pins_.size(); ++i) {
        pins_to_[i] = pins_from_[i];
        if (inputs.pins.empty()) continue;
        const Vector3 way = inputs.pins[i] - pins_from_[i];
        pins_to_[i] = part == 1 ? inputs.pins[i] : pins_from_[i] + way * part;
    }
    works_->contacts.begin(inputs, remaining_s);
    const NetSubstep substep{h, find_accelerations(inputs, h), pins_to_, works_->contacts, set_};
    return works_->solver->step(state_, substep);
}

/// Accelerations that stay the same from one evaluation of the air to the next.
void Net::find_lasting_accelerations() noexcept {
    const std::span<const Vector3> air = works_->air.accelerations();
    for (std::size_t i = 0; i < lasting_.size(); ++i)
        lasting_[i] = settings_.gravity + forces_[i] * works_->per_mass[i] + air[i];
}

std::span<const Vector3> Net::find_accelerations(const NetInputs& inputs, double h) noexcept {
    if (inputs.grabs.empty() && !(settings_.drag_per_s > 0)) return lasting_;
    // Drag by the exact decay of a velocity over h.
    const double decay = settings_.drag_per_s > 0 ? math::expm1(-settings_.drag_per_s * h) / h : 0;
    for (std::size_t i = 0; i < accelerations_.size(); ++i)
        accelerations_[i] = lasting_[i] + state_.v[i] * decay;
    add_grabs(inputs, h);
    return accelerations_;
}

/// A damped pull toward the target, shared among the patch by mass, capped as a whole.
void Net::add_grabs(const NetInputs& inputs, double h) noexcept {
    for (const NetGrab& grab : inputs.grabs) {
        const Vector3 middle = structure_.points[grab.point].position;
        const auto is_held = [&](std::size_t i) {
            const Vector3 way = structure_.points[i].position - middle;
            return !structure_.points[i].is_pinned &&
                   dot(way, way) <= grab.radius_m * grab.radius_m;
        };
        double mass = 0;
        for (std::size_t i = 0; i < size(); ++i)
            mass += is_held(i) ? structure_.points[i].mass_kg : 0;
        if (!(mass > 0)) continue;
        // As stiff as possible without overshooting within a substep.
        const double most = grab.most_force_n / mass;
        const double w = std::min(std::sqrt(most / grab_reach_m), 0.5 / h);
        const Vector3 way = grab.target - state_.x[grab.point];
        Vector3 pull = (way * w - state_.v[grab.point] * 2) * w;
        const double size_of_pull = norm(pull);
        if (size_of_pull > most) pull = pull * (most / size_of_pull);
        for (std::size_t i = 0; i < size(); ++i) {
            if (is_held(i)) accelerations_[i] = accelerations_[i] + pull;
        }
    }
}

void Net::retune(const NetStructure& structure, const NetSettings& settings) {
    require_valid(structure);
    require_valid(settings);
    if (structure.points.size() != structure_.points.size()) {
        throw InvalidValue{"points", static_cast<double>(structure.points.size()),
                           "as many as there are"};
    }
    Net changed{structure, settings};
    changed.state_ = std::move(state_);
    changed.forces_ = std::move(forces_);
    changed.rejected_inputs_ = rejected_inputs_;
    changed.set_ = set_;
    *this = std::move(changed);
}

bool Net::try_retune(const NetSettings& settings) noexcept {
    try {
        retune(structure_, settings);
        return true;
    } catch (const std::exception&) {
        return false;
    }
}

void Net::use(InstructionSet set) {
    require_available(set);
    set_ = set;
}

void Net::set_pinned(std::uint32_t point, bool is_pinned) {
    structure_.points.at(point).is_pinned = is_pinned;
    rebuild();
}

void Net::cut_link(std::size_t link) {
    static_cast<void>(structure_.links.at(link));  // throws where there is none
    structure_.links.erase(structure_.links.begin() + static_cast<std::ptrdiff_t>(link));
    rebuild();
}

void Net::set_force(std::uint32_t point, const Vector3& newtons) {
    for (const double number : {newtons.x, newtons.y, newtons.z})
        require_finite("newtons", number);
    forces_.at(point) = newtons;
}

StepStatus Net::push(std::uint32_t point, const Vector3& delta_velocity) noexcept {
    const bool is_good =
        point < size() && is_finite_vector(delta_velocity) && !structure_.points[point].is_pinned;
    if (!is_good || !is_finite_vector(state_.v[point] + delta_velocity)) return reject();
    state_.v[point] = state_.v[point] + delta_velocity;
    // A history that is consistent with the new velocity.
    state_.x_before[point] = state_.x[point] - state_.v[point] * state_.dt_before;
    state_.v_before[point] = state_.v[point];
    return StepStatus::stepped;
}

StepStatus Net::cut(const Vector3& way, const Quaternion& turn) noexcept {
    const Quaternion q = normalized(turn);
    if (!is_finite_vector(way) || !(q.w == q.w)) return reject();
    copy_state(state_, kept_);
    for (std::size_t i = 0; i < size(); ++i) {
        state_.x[i] = way + rotated(q, state_.x[i]);
        state_.x_before[i] = way + rotated(q, state_.x_before[i]);
        state_.v[i] = rotated(q, state_.v[i]);
        state_.v_before[i] = rotated(q, state_.v_before[i]);
    }
    if (are_finite(state_.x) && are_finite(state_.x_before)) return StepStatus::stepped;
    copy_state(kept_, state_);
    return reject();
}

void Net::read(std::span<double> numbers) const noexcept {
    std::size_t at = 0;
    for (const auto* all : {&state_.x, &state_.v}) {
        for (const Vector3& each : *all) {
            for (const double number : {each.x, each.y, each.z}) {
                if (at < numbers.size()) numbers[at++] = number;
            }
        }
    }
}

std::span<const Dial<Net>> Net::dials() noexcept {
    return dials_through<Net, NetSettings, ReadSettings>();
}

double Net::residual_m() const noexcept {
    return works_->solver->residual_m();
}

void Net::visit_solver(StateWriter& fields) {
    works_->solver->save(fields);
}
void Net::visit_solver(StateReader& fields) {
    works_->solver->load(fields);
}

}  // namespace hopcoil
