#include "read_mover.hpp"

#include <algorithm>

#include <fmt/format.h>

#include <hopcoil/base/quaternion.hpp>

#include "../read/read_moves.hpp"

namespace hopcoil::scene {
namespace {

ValueArray quaternion_array(const ValueArray& turns) {
    const Quaternion q = turned_in_order({turns[0], turns[1], turns[2]});
    return ValueArray{{q.w, q.x, q.y, q.z}};
}

}  // namespace

std::vector<KeyFacts> joined(std::vector<KeyFacts> first, const std::vector<KeyFacts>& second) {
    first.insert(first.end(), second.begin(), second.end());
    return first;
}

KeyFacts watch_key() {
    return {"watch", KeyType::flag,
            "`true`: the take has flags for being at rest (`NAME.at_rest`), reaching the target "
            "(`NAME.reached`), turning points (`NAME.turned`) and settling (`NAME.settled`); for "
            "numbers and angles",
            "`false`"};
}

KeyFacts tuning_key() {
    return {"tuning", KeyType::tuning, "how it follows: a named tuning, or its numbers",
            "2 Hz, damping ratio 0.5, lead 0"};
}

KeyFacts dial_key(KeyFacts key) {
    key.is_dial = true;
    return key;
}

std::vector<KeyFacts> mover_keys(bool has_velocity) {
    std::vector<KeyFacts> keys{
        {"target", KeyType::source, "a target, or an output of another system", "required"},
        {"start", KeyType::place, "value at the start", "on its target"},
        watch_key()};
    if (!has_velocity) return keys;
    keys.push_back({"initial_velocity", KeyType::speed, "velocity at the start", "0"});
    keys.push_back(
        {"kicks", KeyType::tables, "sudden changes of its velocity", "none", {}, {"kick"}});
    return keys;
}

Shape shape_in_files(const SceneTarget& target) {
    const bool turns = target.kind() == ValueKind::rotation;
    return {.unit = turns ? "rad" : target.unit,
            .count = turns ? 3 : target.path.size(),
            .kind = target.kind()};
}

void read_mover_start(TableReader& reader, MoverStart& start, Shape& shape, bool has_velocity) {
    if (const auto value = in_shape(reader, "start", shape)) {
        start.value = shape.kind == ValueKind::rotation ? quaternion_array(*value) : *value;
    }
    if (!has_velocity) return;
    start.initial_velocity = in_shape(reader, "initial_velocity", shape).value_or(ValueArray{});
    reader.each_table(
        "kicks", [](TableReader&) { return &table_facts("kick"); },
        [&](TableReader& kick) {
            if (!kick.has_any("velocity")) {
                kick.problem("", "expected a key 'velocity_per_s' (velocity_m_per_s, ...)");
            }
            const double at_s = required(kick, "at_s");
            if (at_s < 0) kick.problem("at_s", fmt::format("expected 0 or more, found {}", at_s));
            start.kicks.push_back({at_s, in_shape(kick, "velocity", shape).value_or(ValueArray{})});
        });
    std::stable_sort(start.kicks.begin(), start.kicks.end(),
                     [](const Kick& a, const Kick& b) { return a.at_s < b.at_s; });
}

void read_watch(TableReader& reader, MoverStart& start, const Shape& shape) {
    start.watch = reader.flag("watch").value_or(false);
    const ValueKind kind = kind_of(shape);
    if (start.watch && kind != ValueKind::number && kind != ValueKind::angle) {
        reader.problem("watch", "expected a number or an angle to watch");
    }
}

MoverTable read_mover_table(KindReader& reader, bool has_velocity, CanTurn can_turn) {
    MoverTable table;
    table.target = reader.target("target");
    if (table.target) {
        const SceneTarget& target = reader.target_at(*table.target);
        table.shape = shape_in_files(target);
    }
    if (!reader.has("target")) {
        reader.problem("", fmt::format("expected a key 'target': {}",
                                       io::any_of(reader.builder().declared().targets)));
    }
    read_mover_start(reader.table(), table.start, table.shape, has_velocity);
    read_watch(reader.table(), table.start, table.shape);
    if (table.target && table.shape.kind == ValueKind::rotation && can_turn == CanTurn::no) {
        reader.problem("",
                       "it cannot turn: a rotation takes a follower (exact and without a range), "
                       "a glide, a pursuit or a curve");
        table.target.reset();
    }
    return table;
}

}  // namespace hopcoil::scene
