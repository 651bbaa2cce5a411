#include <algorithm>
#include <cmath>
#include <optional>
#include <stdexcept>
#include <utility>

#include <fmt/format.h>

#include <hopcoil/base/problems.hpp>
#include <hopcoil/base/state.hpp>
#include <hopcoil/base/time_step.hpp>
#include <hopcoil/scene/live_scene.hpp>

#include "recording.hpp"
#include "running_scene.hpp"

namespace hopcoil::scene {

/// Everything that has an address others know: never moved, only made anew.
struct LiveScene::Inside {
    explicit Inside(Scene from) : scene{std::move(from)} { running.advance(0); }
    Inside(const Inside&) = delete;
    Inside& operator=(const Inside&) = delete;

    Scene scene;
    RunningScene running{scene};
    std::optional<Recording> recording{std::in_place, scene, running};
    double time_s = 0;

    void visit_state(StateWriter& out) {
        out(time_s);
        running.visit_state(out);
    }
    void visit_state(StateReader& in) {
        in(time_s);
        in.require(time_s >= 0);
        running.visit_state(in);
    }
};

namespace {

std::vector<std::byte> state_of(auto& inside) {
    StateWriter out;
    inside.visit_state(out);
    return out.finished();
}

bool put_state(auto& inside, std::span<const std::byte> blob) {
    StateReader in{blob};
    inside.visit_state(in);
    return in.is_whole();
}

bool is_finite(const ValueArray& place) {
    return std::all_of(place.numbers.begin(), place.numbers.end(),
                       [](double number) { return std::isfinite(number); });
}

/// As a target can be: a rotation of unit length.
ValueArray usable(const ValueArray& place, const SceneTarget& target) {
    if (!is_finite(place)) {
        throw InvalidValue{target.name, std::numeric_limits<double>::quiet_NaN(), "finite numbers"};
    }
    if (target.kind() != ValueKind::rotation) return place;
    const Quaternion turn = normalized({place[0], place[1], place[2], place[3]});
    if (!(turn.w * turn.w + turn.x * turn.x + turn.y * turn.y + turn.z * turn.z > 0.5)) {
        throw InvalidValue{target.name, 0, "a rotation w, x, y, z that is not zero"};
    }
    return ValueArray{{turn.w, turn.x, turn.y, turn.z}};
}

}  // namespace

LiveScene::LiveScene(Scene scene) : inside_{std::make_unique<Inside>(std::move(scene))} {}
LiveScene::LiveScene(const LiveScene& other)
    : inside_{std::make_unique<Inside>(other.inside_->scene)} {
    put_state(*inside_, state_of(*other.inside_));
}
LiveScene::LiveScene(LiveScene&& other) noexcept = default;
LiveScene& LiveScene::operator=(LiveScene other) noexcept {
    inside_.swap(other.inside_);
    return *this;
}
LiveScene::~LiveScene() = default;

void LiveScene::step(double dt) {
    if (!is_time_step(dt)) throw InvalidValue{"dt", dt, "a finite number of seconds, 0 or more"};
    advance_to(inside_->time_s + dt);
}

void LiveScene::advance_to(double time_s) {
    if (!std::isfinite(time_s) || time_s < inside_->time_s) {
        throw InvalidValue{"time_s", time_s, "a finite time, not before that of the scene"};
    }
    inside_->running.advance(time_s);
    inside_->time_s = time_s;
}

double LiveScene::time_s() const noexcept {
    return inside_->time_s;
}
const Scene& LiveScene::scene() const noexcept {
    return inside_->scene;
}

DialStatus LiveScene::set(const SceneDial& dial, double value) {
    if (!dial.number) {
        // The scene itself is changed, and what runs takes over the one number.
        const double before = value_of(inside_->scene, dial);
        const DialStatus status = set_value(inside_->scene, dial, value);
        if (status != DialStatus::set) return status;
        if (inside_->running.retune(inside_->scene, dial.system)) return status;
        try {
            inside_->running.restart(inside_->scene, dial.system);
            inside_->recording.emplace(inside_->scene, inside_->running);
            return status;
        } catch (const std::invalid_argument&) {  // it cannot start with that
            set_value(inside_->scene, dial, before);
            return DialStatus::refused;
        }
    }
    Scene changed = inside_->scene;
    const DialStatus status = set_value(changed, dial, value);
    if (status != DialStatus::set) return status;
    return restart(std::move(changed)) ? status : DialStatus::refused;
}

bool LiveScene::restart(Scene changed) {
    auto next = std::make_unique<Inside>(std::move(changed));
    if (!put_state(*next, state_of(*inside_))) return false;
    inside_ = std::move(next);
    return true;
}

bool LiveScene::can_hold(std::size_t target) const {
    return !inside_->scene.targets.at(target).is_where_it_ends;
}

void LiveScene::hold(std::size_t target, const ValueArray& place) {
    const SceneTarget& held = inside_->scene.targets.at(target);
    if (!can_hold(target)) {
        throw InvalidValue{held.name, place[0], "a target that something follows"};
    }
    inside_->running.hold(target, usable(place, held));
}

void LiveScene::let_go(std::size_t target) {
    inside_->running.let_go(target);
}
bool LiveScene::is_held(std::size_t target) const {
    return inside_->running.is_held(target);
}

bool LiveScene::push(std::size_t system, const ValueArray& delta_velocity, std::size_t port) {
    const SceneSystem& pushed = inside_->scene.systems.at(system);
    static_cast<void>(pushed.spec->outputs().at(port));
    if (!is_finite(delta_velocity)) {
        throw InvalidValue{pushed.name, std::numeric_limits<double>::quiet_NaN(),
                           "a finite velocity"};
    }
    return inside_->running.push({system, port}, delta_velocity);
}

bool LiveScene::grab(std::size_t system, const std::optional<ValueArray>& place, std::size_t port,
                     std::size_t index) {
    const SceneSystem& grabbed = inside_->scene.systems.at(system);
    const Port of = grabbed.spec->outputs().at(port);
    if (index >= of.count) return false;
    if (place && !is_finite(*place)) {
        throw InvalidValue{grabbed.name, std::numeric_limits<double>::quiet_NaN(),
                           "a finite place"};
    }
    return inside_->running.grab({system, port}, index, place);
}

ValueArray LiveScene::target(std::size_t index) const {
    return inside_->running.target_shown(index, inside_->time_s);
}
ValueAndVelocity LiveScene::output(std::size_t system, std::size_t port, std::size_t index) const {
    const std::vector<Port> ports = inside_->scene.systems.at(system).spec->outputs();
    if (index >= ports.at(port).count) throw std::out_of_range{"an output has fewer values"};
    return inside_->running.output({system, port}, index);
}

const std::vector<RecordedChannel>& LiveScene::channels() const noexcept {
    return inside_->recording->channels();
}
std::span<const double> LiveScene::row() {
    return inside_->recording->row(inside_->time_s);
}

std::vector<std::byte> LiveScene::save() const {
    return state_of(*inside_);
}

bool LiveScene::load(std::span<const std::byte> blob) {
    auto next = std::make_unique<Inside>(inside_->scene);
    if (!put_state(*next, blob)) return false;
    inside_ = std::move(next);
    return true;
}

}  // namespace hopcoil::scene
