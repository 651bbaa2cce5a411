// [particles.NAME]: points that are born, fly, touch things and die.

#include "particles.hpp"

#include <algorithm>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/field/ground.hpp>
#include <hopcoil/field/wind.hpp>
#include <hopcoil/scene/view.hpp>

#include "../read/picture_keys.hpp"
#include "../read/read_pictures.hpp"
#include "particles_parts.hpp"
#include "read_mover.hpp"
#include "signal_columns.hpp"
#include "vectors.hpp"

namespace hopcoil::scene {

std::string ParticlesSpec::in_words(std::size_t port) const {
    if (port > 0) return "";
    const ParticleSettings& s = parts_.settings;
    const std::string born = s.rate_per_s > 0         ? fmt::format("{:.3g} a second", s.rate_per_s)
                             : !parts_.bursts.empty() ? "in bursts"
                                                      : "where others have events";
    return fmt::format("{}, of {:.3g} to {:.3g} m/s, for {:.3g} to {:.3g} s, at most {}", born,
                       s.speed_least_m_per_s, s.speed_most_m_per_s, s.lifetime_least_s,
                       s.lifetime_most_s, s.capacity);
}

std::vector<Port> ParticlesSpec::outputs() const {
    return {{.quantity = "position",
             .unit = "m",
             .kind = ValueKind::vector,
             .components = 3,
             .count = parts_.settings.capacity,
             .has_velocity = false,
             .alive = particle_signal::alive}};
}

std::vector<RecordedChannel> ParticlesSpec::signals() const {
    const std::size_t capacity = parts_.settings.capacity;
    std::vector<RecordedChannel> all{
        {.name = particle_signal::alive, .kind = ChannelKind::flag, .count = capacity},
        {.name = particle_signal::age, .count = capacity, .alive = particle_signal::alive},
        {.name = particle_signal::count},
        {.name = particle_signal::hits}};
    if (parts_.are_turning()) {
        all.push_back({.name = particle_signal::turn,
                       .unit = "rad",
                       .count = capacity,
                       .alive = particle_signal::alive});
    }
    return all;
}

bool ParticlesSpec::is_measured(const std::string& channel) const {
    return channel == particle_signal::count || channel == particle_signal::hits;
}

std::vector<View> ParticlesSpec::views() const {
    View view{.type = View::Type::points, .position = 0};
    view.alive = particle_signal::alive;
    view.age = particle_signal::age;
    if (parts_.are_turning()) view.turn = particle_signal::turn;
    for (const double factor : parts_.settings.size_over_life)
        view.radius_m.push_back(factor * parts_.settings.radius_m);
    for (const Vector3& colour : parts_.settings.colour_over_life)
        view.colours.push_back({colour.x, colour.y, colour.z});
    view.trail_s = parts_.trail_s;
    view.look.order = parts_.order;
    return {std::move(view)};
}

std::vector<SystemReport> ParticlesSpec::report(const ReportInput& input) const {
    const std::string& name = input.system.name;
    const std::vector<double> counts =
        signal_in(input.fine, fmt::format("{}.{}", name, particle_signal::count));
    const std::vector<double> hits =
        signal_in(input.fine, fmt::format("{}.{}", name, particle_signal::hits));
    double mean = 0;
    for (const double each : counts)
        mean += each / static_cast<double>(counts.size());
    SystemReport report{.name = name, .kind = kind(), .words = in_words(0)};
    report.components = {
        {.values = signal_in(input.take, fmt::format("{}.{}", name, particle_signal::count))}};
    report.figures = {{"most_at_once", "at once, at most", "",
                       counts.empty() ? 0 : *std::max_element(counts.begin(), counts.end())},
                      {"mean_at_once", "in the mean", "", mean},
                      {"contacts", "contacts", "", hits.empty() ? 0 : hits.back()}};
    return {std::move(report)};
}

namespace {

std::vector<double> numbers_or(KindReader& reader, const std::string& key,
                               const std::vector<double>& otherwise) {
    std::vector<double> numbers = reader.numbers(key);
    return reader.has(key) && !numbers.empty() ? numbers : otherwise;
}

void read_birth(KindReader& reader, ParticleSettings& settings) {
    using Shape = EmitterShape;
    settings.capacity = reader.whole_number("capacity", 1, 100'000).value_or(settings.capacity);
    if (const auto shape = reader.choice("emitter")) {
        settings.shape = *shape == "line"     ? Shape::line
                         : *shape == "disc"   ? Shape::disc
                         : *shape == "box"    ? Shape::box
                         : *shape == "sphere" ? Shape::sphere
                                              : Shape::point;
    }
    settings.half_size_m = three(reader, "half_size_m").value_or(settings.half_size_m);
    settings.direction = three(reader, "direction").value_or(settings.direction);
}

void read_bursts(KindReader& reader, ParticlesParts& parts) {
    reader.each_table("bursts", "burst", [&](KindReader& one) {
        ParticleBurst burst;
        burst.at_s = one.number("at_s").value_or(0);
        burst.count = one.whole_number("count", 1, 100'000).value_or(0);
        if (!one.has("count")) one.problem("", "expected a key 'count'");
        if (!(burst.at_s >= 0)) one.problem("at_s", "expected 0 or more");
        parts.bursts.push_back(burst);
    });
}

/// What happens to another system, and starts particles. Its index.
std::size_t read_source(KindReader& reader, ParticlesParts& parts) {
    const std::size_t source = reader.field<EventSource>("source");
    const bool has_feet = reader.is_field<FootEvents>(source);
    const std::string on = reader.choice("on").value_or(has_feet ? "landed" : "hit");
    for (const auto& [name, type] :
         {std::pair{"born", SceneEvent::Type::born}, std::pair{"hit", SceneEvent::Type::hit},
          std::pair{"at_rest", SceneEvent::Type::at_rest},
          std::pair{"died", SceneEvent::Type::died}, std::pair{"landed", SceneEvent::Type::landed},
          std::pair{"lifted", SceneEvent::Type::lifted}}) {
        if (on == name) parts.on = type;
    }
    std::vector<const char*> possible;
    if (has_feet) possible = {"landed", "lifted"};
    if (reader.is_field<HitEvents>(source)) possible.push_back("hit");
    if (reader.is_field<LifeEvents>(source)) {
        for (const char* event : {"born", "at_rest", "died"})
            possible.push_back(event);
    }
    const bool can = std::find(possible.begin(), possible.end(), on) != possible.end();
    const std::string all = fmt::format("{}", fmt::join(possible, ", "));
    if (source != not_connected && !can)
        reader.problem("on", "expected what can happen to the source: " + all);
    parts.count_for_each = reader.whole_number("for_each", 1, 1000).value_or(1);
    for (const char* key : {"on", "for_each"}) {
        if (reader.has(key) && !reader.has("source"))
            reader.problem(key, "expected a key 'source' beside it: whose events start them");
    }
    return source;
}

void read_particles(KindReader& reader) {
    ParticlesParts parts;
    Mounts mounts;
    if (const auto recipe = reader.choice("recipe")) parts.settings = particle_recipe(*recipe);
    // Those that others start have no place of their own, unless they are given a rate.
    if (reader.has("source")) parts.settings.rate_per_s = 0;
    read_birth(reader, parts.settings);
    reader.dials(parts.settings);
    ParticleSettings& settings = parts.settings;
    settings.dies_on_contact = reader.flag("dies_on_contact").value_or(settings.dies_on_contact);
    settings.has_contact_among = reader.flag("contact_among").value_or(settings.has_contact_among);
    settings.size_over_life = numbers_or(reader, "size_over_life", settings.size_over_life);
    if (const auto colours = read_colours(reader.table(), "colours"); !colours.empty()) {
        settings.colour_over_life.clear();
        for (const Colour& each : colours)
            settings.colour_over_life.push_back({each[0], each[1], each[2]});
    }
    parts.place = three(reader, "at_m").value_or(parts.place);
    parts.turned = turn_at(reader);
    parts.mount = mounts.read(reader);
    parts.from_s = reader.number("from_s").value_or(parts.from_s);
    parts.until_s = reader.number("until_s").value_or(parts.until_s);
    read_bursts(reader, parts);
    parts.shapes = read_shapes(reader, mounts, "particle shape");
    parts.trail_s = reader.number("trail_s").value_or(0);
    if (!(parts.trail_s >= 0)) reader.problem("trail_s", "expected 0 or more");
    parts.order = reader.number("order").value_or(0);
    parts.stream = reader.random_stream("births");
    const std::size_t ground = reader.field<Ground>("ground");
    const std::size_t wind = reader.field<Wind>("wind");
    const std::size_t source = read_source(reader, parts);
    reader.try_to([&] {
        reader.add(std::make_unique<ParticlesSpec>(std::move(parts)), std::move(mounts.targets()),
                   {ground, wind, source});
    });
}

// NOLINTNEXTLINE(readability-function-size): a table
std::vector<KeyFacts> particles_keys() {
    using enum KeyType;
    std::vector<std::string> recipes;
    for (const ParticleRecipe& recipe : particle_recipes())
        recipes.emplace_back(recipe.name);
    std::vector<KeyFacts> keys{
        {"recipe", choice, "ready-made numbers, which the other keys override", "none", recipes},
        {"at_m", vector, "place of the emitter, in the frame of what carries it", "[0, 0, 0]"},
        {"turned_deg", vector, "rotation of the emitter: an axis times degrees", "[0, 0, 0]"},
        {"capacity", whole_number, "most particles alive at once; births beyond it do not happen",
         "500"},
        dial_key({"rate_per_s", number, "births per second", "100; with a `source` 0"}),
        {"from_s", number, "time of the first births", "0"},
        {"until_s", number, "time after which there are no more", "never"},
        {"bursts", tables, "births of many at once", "none", {}, {"burst"}},
        {"source", field,
         "other particles, parts, a walker or a body whose events start particles of this kind",
         "none"},
        {"on",
         choice,
         "event that starts them: of feet `landed` or `lifted`, of parts and bodies `hit` (from "
         "0.3 m/s on), of particles the others",
         "`landed` of what has feet, else `hit`",
         {"born", "hit", "at_rest", "died", "landed", "lifted"}},
        {"for_each", whole_number, "number that start at each event", "1"},
        {"emitter",
         choice,
         "shape of the emitter: a line lies along X, a disc in the XZ plane",
         "`point`",
         {"point", "line", "disc", "box", "sphere"}},
        {"half_size_m", vector,
         "half of the emitter's size; of a disc or sphere the x is its radius", "[0, 0, 0]"},
        {"direction", vector, "direction they start in, in the emitter's frame: x, y, z",
         "[0, 1, 0]"},
        dial_key({"spread_rad", number, "half the opening angle of the cone they start in", "0.3"}),
        dial_key({"speed_least_m_per_s", number, "lowest speed at birth", "1"}),
        dial_key({"speed_most_m_per_s", number, "highest speed at birth", "2"}),
        dial_key({"emitter_share", number, "part of the emitter's velocity that they start with",
                  "0.5"}),
        dial_key({"lifetime_least_s", number, "shortest lifetime", "1"}),
        dial_key({"lifetime_most_s", number, "longest lifetime", "2"}),
        dial_key({"gravity_m_per_s2", number, "gravity, downward; below 0 they rise", "9.80665"}),
        dial_key({"drag_per_s", number, "rate at which they take on the air's velocity", "0.5"}),
        dial_key({"wind_share", number, "part of the wind's velocity that acts on them", "1"}),
        dial_key({"spin_rad_per_s", number,
                  "highest angular velocity; particles that turn are drawn as leaves", "0"}),
        dial_key({"radius_m", number, "their radius", "0.01"}),
        dial_key({"restitution", number, "part of the speed that is left after a bounce, 0 to 1",
                  "0.3"}),
        dial_key({"friction", number, "coefficient of friction on what they touch", "0.4"}),
        {"dies_on_contact", flag, "`true`: they die where they land", "`false`"},
        {"contact_among", flag, "`true`: they collide with each other", "`false`"},
        {"size_over_life", numbers, "factors on the radius, evenly from birth to death", "[1]"},
        {"colours", texts, "colours as in \"#c86432\", evenly from birth to death", "nearly white"},
        {"trail_s", number, "duration of the trail that pictures and the page draw behind each",
         "0"},
        {"shapes", tables, "shapes that they bounce off", "none", {}, {"particle shape"}},
        {"wind", field, "wind that carries them", "none"},
        {"ground", field, "ground that they land on", "none"},
        order_key()};
    for (const KeyFacts& each : mount_keys())
        keys.push_back(each);
    return keys;
}

}  // namespace

SystemKind particles_kind() {
    using enum KeyType;
    return {"particles",
            {{"particles", "`[particles.NAME]`",
              "Points that are born, fly, collide and die: sparks, spray, smoke, rain.",
              particles_keys()},
             {"burst",
              "A burst of particles",
              "",
              {{"at_s", number, "time at which it happens", "0"},
               {"count", whole_number, "number", "required"}}},
             shape_table("particle shape", "A shape that particles bounce off")},
            {},
            read_particles};
}

}  // namespace hopcoil::scene
