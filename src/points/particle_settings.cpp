#include <array>
#include <stdexcept>
#include <string>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/problems.hpp>
#include <hopcoil/points/particle_settings.hpp>

namespace hopcoil {
namespace {

constexpr auto by_factors = DialScale::logarithmic;
const std::array<Dial<ParticleSettings>, ParticleSettings::dial_count>& all_dials() {
    static const std::array<Dial<ParticleSettings>, ParticleSettings::dial_count> all{
        field_dial<&ParticleSettings::rate_per_s>(
            Dial<ParticleSettings>{"rate_per_s", "1/s", {0, 1e6}, {0, 500}}),
        field_dial<&ParticleSettings::spread_rad>(
            Dial<ParticleSettings>{"spread_rad", "rad", {0, math::pi}, {0, 1.6}}),
        field_dial<&ParticleSettings::speed_least_m_per_s>(
            Dial<ParticleSettings>{"speed_least_m_per_s", "m/s", {0, 1e6}, {0, 10}}),
        field_dial<&ParticleSettings::speed_most_m_per_s>(
            Dial<ParticleSettings>{"speed_most_m_per_s", "m/s", {0, 1e6}, {0, 10}}),
        field_dial<&ParticleSettings::emitter_share>(
            Dial<ParticleSettings>{"emitter_share", "", {-10, 10}, {0, 1}}),
        field_dial<&ParticleSettings::lifetime_least_s>(
            Dial<ParticleSettings>{"lifetime_least_s", "s", {0, 1e6}, {0, 5}}),
        field_dial<&ParticleSettings::lifetime_most_s>(
            Dial<ParticleSettings>{"lifetime_most_s", "s", {0, 1e6}, {0, 5}}),
        field_dial<&ParticleSettings::gravity_m_per_s2>(
            Dial<ParticleSettings>{"gravity_m_per_s2", "m/s2", {-1e4, 1e4}, {-5, 15}}),
        field_dial<&ParticleSettings::drag_per_s>(
            Dial<ParticleSettings>{"drag_per_s", "1/s", {0, 1e6}, {0, 10}}),
        field_dial<&ParticleSettings::wind_share>(
            Dial<ParticleSettings>{"wind_share", "", {0, 1e3}, {0, 2}}),
        field_dial<&ParticleSettings::spin_rad_per_s>(
            Dial<ParticleSettings>{"spin_rad_per_s", "rad/s", {0, 1e6}, {0, 20}}),
        field_dial<&ParticleSettings::radius_m>(
            Dial<ParticleSettings>{"radius_m", "m", {1e-9, 1e3}, {0.002, 0.2}, by_factors}),
        field_dial<&ParticleSettings::restitution>(
            Dial<ParticleSettings>{"restitution", "", {0, 1}, {0, 1}}),
        field_dial<&ParticleSettings::friction>(
            Dial<ParticleSettings>{"friction", "", {0, 1e3}, {0, 1}}),
    };
    return all;
}

// NOLINTNEXTLINE(readability-function-size): a table
std::vector<ParticleRecipe> make_recipes() {
    std::vector<ParticleRecipe> all;
    all.push_back({"rain",
                   "drops that fall from a wide box and end where they land",
                   {.capacity = 1200,
                    .rate_per_s = 500,
                    .shape = EmitterShape::box,
                    .half_size_m = {3, 0.1, 3},
                    .direction = {0, -1, 0},
                    .spread_rad = 0.02,
                    .speed_least_m_per_s = 6,
                    .speed_most_m_per_s = 7,
                    .emitter_share = 0,
                    .lifetime_least_s = 2,
                    .lifetime_most_s = 2,
                    .drag_per_s = 1.3,
                    .radius_m = 0.008,
                    .dies_on_contact = true,
                    .colour_over_life = {{0.55, 0.65, 0.75}}}});
    all.push_back(
        {"smoke",
         "puffs that rise, slow down, grow and fade into the wind",
         {.capacity = 300,
          .rate_per_s = 40,
          .shape = EmitterShape::disc,
          .half_size_m = {0.04, 0, 0},
          .spread_rad = 0.25,
          .speed_least_m_per_s = 0.6,
          .speed_most_m_per_s = 1.1,
          .lifetime_least_s = 3,
          .lifetime_most_s = 5,
          .gravity_m_per_s2 = -0.5,
          .drag_per_s = 1.2,
          .spin_rad_per_s = 0.6,
          .radius_m = 0.04,
          .size_over_life = {1, 3, 5},
          .colour_over_life = {{0.45, 0.44, 0.43}, {0.7, 0.7, 0.7}, {0.88, 0.88, 0.88}}}});
    all.push_back({"embers",
                   "glowing specks that a flame carries up, each on a way of its own",
                   {.capacity = 200,
                    .rate_per_s = 30,
                    .shape = EmitterShape::disc,
                    .half_size_m = {0.03, 0, 0},
                    .spread_rad = 0.5,
                    .speed_least_m_per_s = 0.5,
                    .speed_most_m_per_s = 1.4,
                    .lifetime_least_s = 1.2,
                    .lifetime_most_s = 3,
                    .gravity_m_per_s2 = -1.2,
                    .drag_per_s = 1.6,
                    .spin_rad_per_s = 6,
                    .radius_m = 0.012,
                    .size_over_life = {1, 0.9, 0.2},
                    .colour_over_life = {{1, 0.85, 0.4}, {0.95, 0.45, 0.1}, {0.35, 0.08, 0.05}}}});
    all.push_back({"splash",
                   "a crown of drops thrown up from a surface",
                   {.capacity = 400,
                    .rate_per_s = 0,
                    .shape = EmitterShape::disc,
                    .half_size_m = {0.06, 0, 0},
                    .spread_rad = 0.7,
                    .speed_least_m_per_s = 1,
                    .speed_most_m_per_s = 3.2,
                    .lifetime_least_s = 0.8,
                    .lifetime_most_s = 1.6,
                    .drag_per_s = 0.6,
                    .radius_m = 0.012,
                    .restitution = 0.1,
                    .size_over_life = {1, 1, 0.4},
                    .colour_over_life = {{0.75, 0.85, 0.9}, {0.6, 0.72, 0.8}}}});
    all.push_back({"burst",
                   "sparks in all directions at once, that bounce and come to rest",
                   {.capacity = 300,
                    .rate_per_s = 0,
                    .spread_rad = math::pi,
                    .speed_least_m_per_s = 2,
                    .speed_most_m_per_s = 6,
                    .lifetime_least_s = 0.8,
                    .lifetime_most_s = 2.5,
                    .drag_per_s = 0.9,
                    .spin_rad_per_s = 15,
                    .radius_m = 0.01,
                    .restitution = 0.45,
                    .size_over_life = {1, 0.6, 0.1},
                    .colour_over_life = {{1, 1, 0.8}, {1, 0.7, 0.2}, {0.5, 0.15, 0.05}}}});
    return all;
}

}  // namespace

std::span<const Dial<ParticleSettings>> ParticleSettings::dials() noexcept {
    return all_dials();
}

void require_valid(const ParticleSettings& settings) {
    if (settings.capacity < 1 || settings.capacity > 1'000'000)
        throw InvalidValue{"capacity", static_cast<double>(settings.capacity), "1 to 1000000"};
    require_at_least_zero("rate_per_s", settings.rate_per_s);
    for (const double number :
         {settings.half_size_m.x, settings.half_size_m.y, settings.half_size_m.z})
        require_at_least_zero("half_size_m", number);
    for (const double number : {settings.direction.x, settings.direction.y, settings.direction.z})
        require_finite("direction", number);
    if (!(dot(settings.direction, settings.direction) > 1e-12))
        throw InvalidValue{"direction", 0, "a direction"};
    require_at_least_zero("spread_rad", settings.spread_rad);
    if (settings.spread_rad > math::pi)
        throw InvalidValue{"spread_rad", settings.spread_rad, "at most pi"};
    require_at_least_zero("speed_least_m_per_s", settings.speed_least_m_per_s);
    require_at_least_zero("speed_most_m_per_s", settings.speed_most_m_per_s);
    require_finite("emitter_share", settings.emitter_share);
    require_at_least_zero("lifetime_least_s", settings.lifetime_least_s);
    require_at_least_zero("lifetime_most_s", settings.lifetime_most_s);
    require_finite("gravity_m_per_s2", settings.gravity_m_per_s2);
    require_at_least_zero("drag_per_s", settings.drag_per_s);
    require_at_least_zero("wind_share", settings.wind_share);
    require_at_least_zero("spin_rad_per_s", settings.spin_rad_per_s);
    require_above_zero("radius_m", settings.radius_m);
    require_at_least_zero("restitution", settings.restitution);
    if (settings.restitution > 1) throw InvalidValue{"restitution", settings.restitution, "0 to 1"};
    require_at_least_zero("friction", settings.friction);
    for (const double factor : settings.size_over_life)
        require_at_least_zero("size_over_life", factor);
    for (const Vector3& colour : settings.colour_over_life) {
        for (const double part : {colour.x, colour.y, colour.z})
            require_at_least_zero("colour_over_life", part);
    }
}

bool is_valid(const ParticleSettings& settings) noexcept {
    return passes_require_valid(settings);
}

std::span<const ParticleRecipe> particle_recipes() {
    static const std::vector<ParticleRecipe> all = make_recipes();
    return all;
}

const ParticleSettings& particle_recipe(std::string_view name) {
    for (const ParticleRecipe& recipe : particle_recipes()) {
        if (recipe.name == name) return recipe.settings;
    }
    throw std::out_of_range{"there is no recipe " + std::string{name} +
                            "; there are rain, smoke, embers, splash and burst"};
}

}  // namespace hopcoil
