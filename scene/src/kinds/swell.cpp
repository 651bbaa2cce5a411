// [swell.NAME]: waves on water, and what floats on them.

#include "swell.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/field/swell.hpp>
#include <hopcoil/scene/own_system.hpp>
#include <hopcoil/scene/system_report.hpp>

#include "../read/read_pictures.hpp"
#include "../read/toml_reader.hpp"
#include "ground_scenery.hpp"
#include "mounts.hpp"
#include "read_mover.hpp"
#include "vectors.hpp"

namespace hopcoil::scene {
namespace {

/// A spot of a thing that floats, in its frame.
struct Spot {
    std::string name{};
    Vector3 at{};
};

/// A thing that floats: where it would be on still water, in the frame of what carries it.
struct Floating {
    std::string name{};
    Mount mount{};
    Placement own{};
    Swell::Hull hull{};
    double height_m = 0.0;  ///< of the box that it is seen as; 0: as a mark
    std::vector<Spot> spots{};
    std::optional<Colour> colour{};
};

/// What an output is of.
struct Output {
    enum Type : std::uint8_t { place, facing, surface };
    Type type = place;
    std::size_t floating = 0;
    std::string name{};
    Vector3 at{};  ///< in the frame of what floats
};

/// The points of the water that are shown, row after row.
struct Surface {
    Vector3 middle{};
    double width_m = 8.0;
    double depth_m = 8.0;
    std::size_t columns = 25;

    [[nodiscard]] std::size_t rows() const {
        const double wanted = std::round(static_cast<double>(columns) * depth_m / width_m);
        return static_cast<std::size_t>(std::clamp(wanted, 2.0, 100.0));
    }
    [[nodiscard]] Vector3 point(std::size_t index) const {
        const auto across = [](std::size_t i, std::size_t count) {
            return static_cast<double>(i) / static_cast<double>(count - 1) - 0.5;
        };
        return middle + Vector3{width_m * across(index % columns, columns), 0,
                                depth_m * across(index / columns, rows())};
    }
    /// Seen from above, counter-clockwise.
    [[nodiscard]] std::vector<std::array<std::size_t, 3>> triangles() const {
        std::vector<std::array<std::size_t, 3>> all;
        for (std::size_t row = 0; row + 1 < rows(); ++row) {
            for (std::size_t column = 0; column + 1 < columns; ++column) {
                const std::size_t first = row * columns + column;
                all.push_back({first, first + columns, first + 1});
                all.push_back({first + 1, first + columns, first + columns + 1});
            }
        }
        return all;
    }
};

/// A place on still water, and how it moves.
struct Still {
    Placement at{};
    Vector3 velocity{};
    Vector3 angular_velocity{};

    [[nodiscard]] Placement after(double time_s) const {
        return {at.position + velocity * time_s,
                turned_by(angular_velocity * time_s) * at.rotation};
    }
    template <class Fields>
    void visit_state(Fields& fields) {
        fields(at.position, at.rotation, velocity, angular_velocity);
    }
};

class SwellSpec final : public SpecOf<SwellSpec, SwellSettings> {
  public:
    SwellSpec(const SwellSettings& settings, std::uint64_t stream, std::vector<Floating> floats,
              std::optional<Surface> surface)
        : SpecOf{settings}, floats_{std::move(floats)}, surface_{surface}, stream_{stream} {
        require_valid(settings);
        for (std::size_t i = 0; i < floats_.size(); ++i) {
            const std::string& name = floats_[i].name;
            outputs_.push_back({Output::place, i, name});
            outputs_.push_back({Output::facing, i, name + ".facing"});
            for (const Spot& spot : floats_[i].spots)
                outputs_.push_back({Output::place, i, name + "." + spot.name, spot.at});
        }
        if (surface_) outputs_.push_back({Output::surface, 0, "surface"});
    }

    [[nodiscard]] std::string kind() const override { return "swell"; }
    [[nodiscard]] std::string in_words(std::size_t /*port*/) const override {
        return fmt::format("{:.3g} m high, {:.3g} m long", parameters.significant_height_m,
                           parameters.length_m);
    }
    [[nodiscard]] std::vector<Port> outputs() const override;
    [[nodiscard]] bool is_measured(const std::string& channel) const override {
        return !channel.starts_with("surface.");
    }
    [[nodiscard]] std::vector<View> views() const override;
    [[nodiscard]] std::unique_ptr<RunningSystem> start_running(
        const SystemInputs& inputs) const override;
    [[nodiscard]] double highest_hz() const override;
    [[nodiscard]] std::vector<SystemReport> report(const ReportInput& input) const override;

    [[nodiscard]] Swell swell() const { return Swell{parameters, stream_}; }
    [[nodiscard]] const std::vector<Floating>& floats() const { return floats_; }
    [[nodiscard]] const std::optional<Surface>& surface() const { return surface_; }
    /// Of each thing that floats its place, its rotation, then its spots; the surface is the last.
    [[nodiscard]] const std::vector<Output>& all_outputs() const { return outputs_; }

  private:
    /// The output of a thing's place; that of its rotation is the next.
    [[nodiscard]] std::size_t port_of(std::size_t floating) const;

    std::vector<Floating> floats_;
    std::optional<Surface> surface_;
    std::vector<Output> outputs_;
    std::uint64_t stream_;
};

/// A thing that floats, now and a moment before and after.
struct Afloat {
    // The motion of a hull over waves has a long closed form; the difference over so short a time
    // is as good.
    static constexpr double moment_s = 1e-4;
    Placement now{};
    Placement before{};
    Placement after{};
};

class RunningSwell final : public RunningSystem {
  public:
    RunningSwell(const SwellSpec& spec, const SystemInputs& inputs)
        : swell_{spec.swell()},
          floats_{spec.floats()},
          surface_{spec.surface()},
          outputs_{spec.all_outputs()},
          still_(floats_.size()),
          afloat_(floats_.size()),
          time_s_{inputs.time_s} {
        move(inputs, 0);
    }

    bool advance(double time_s, const SystemInputs& inputs) override {
        const double dt = time_s - time_s_;
        time_s_ = time_s;
        move(inputs, dt);
        return true;
    }
    void change(const SystemInputs& inputs) override { move(inputs, 0); }
    [[nodiscard]] ValueAndVelocity output(std::size_t port, std::size_t index) const override {
        const Output& what = outputs_[port];
        if (what.type == Output::surface) {
            const Vector3 at = surface_->point(index);
            return {array_of(at + Vector3{0, swell_.height_at(at.x, at.z, time_s_), 0}),
                    array_of(Vector3{0, swell_.rise_at(at.x, at.z, time_s_), 0})};
        }
        constexpr double rate = 0.5 / Afloat::moment_s;
        const Placement own{what.at};
        const Afloat& hull = afloat_[what.floating];
        const Placement before = hull.before * own;
        const Placement after = hull.after * own;
        if (what.type == Output::place) {
            return {array_of((hull.now * own).position),
                    array_of((after.position - before.position) * rate)};
        }
        const Quaternion turn = after.rotation * conjugate(before.rotation);
        return {array_of(hull.now.rotation), array_of(rotation_vector(turn) * rate)};
    }
    bool retune(const SystemSpec& spec) override {
        swell_ = dynamic_cast<const SwellSpec&>(spec).swell();
        find_floating();
        return true;
    }
    void save(StateWriter& out) override { visit_state(out); }
    void load(StateReader& in) override {
        visit_state(in);
        find_floating();
    }

  private:
    template <class Fields>
    void visit_state(Fields& fields) {
        fields(time_s_, still_);
    }
    [[nodiscard]] Placement floating(std::size_t index, double ahead_s) const {
        return swell_.floating(still_[index].after(ahead_s), floats_[index].hull,
                               time_s_ + ahead_s);
    }
    /// Where each thing would be on still water; a velocity that is not known is that of this step.
    void move(const SystemInputs& inputs, double dt) {
        for (std::size_t i = 0; i < floats_.size(); ++i) {
            const Floating& each = floats_[i];
            const Placement mounted = placement_of(each.mount, inputs);
            Still now{.at = mounted * each.own};
            const auto velocity_of = [&](const std::optional<std::size_t>& target, Vector3& rate) {
                if (!target) return true;
                rate = vector_of(inputs.targets[*target].point.velocity);
                return inputs.targets[*target].knows_velocity;
            };
            const bool knows_place = velocity_of(each.mount.position, now.velocity);
            const bool knows_turn = velocity_of(each.mount.rotation, now.angular_velocity);
            now.velocity =
                now.velocity + cross(now.angular_velocity, now.at.position - mounted.position);
            if (!knows_place || !knows_turn) {
                const Still& before = still_[i];
                const double rate = dt > shortest_step_s ? 1 / dt : 0;
                const Quaternion turn = now.at.rotation * conjugate(before.at.rotation);
                now.velocity =
                    rate > 0 ? (now.at.position - before.at.position) * rate : before.velocity;
                now.angular_velocity =
                    rate > 0 ? rotation_vector(turn) * rate : before.angular_velocity;
            }
            still_[i] = now;
        }
        find_floating();
    }
    void find_floating() {
        constexpr double h = Afloat::moment_s;
        for (std::size_t i = 0; i < floats_.size(); ++i)
            afloat_[i] = {floating(i, 0), floating(i, -h), floating(i, h)};
    }

    Swell swell_;
    std::vector<Floating> floats_;
    std::optional<Surface> surface_;
    std::vector<Output> outputs_;
    std::vector<Still> still_;
    std::vector<Afloat> afloat_;
    double time_s_;
};

std::size_t SwellSpec::port_of(std::size_t floating) const {
    const auto found = std::find_if(outputs_.begin(), outputs_.end(),
                                    [&](const Output& each) { return each.floating == floating; });
    return static_cast<std::size_t>(found - outputs_.begin());
}

std::vector<Port> SwellSpec::outputs() const {
    std::vector<Port> ports;
    for (const Output& each : outputs_) {
        Port port{.name = each.name,
                  .quantity = "position",
                  .unit = "m",
                  .kind = ValueKind::vector,
                  .components = 3};
        if (each.type == Output::facing)
            port = {.name = each.name, .kind = ValueKind::rotation, .components = 4};
        if (each.type == Output::surface) {
            port.count = surface_->columns * surface_->rows();
            port.has_velocity = false;
        }
        ports.push_back(std::move(port));
    }
    return ports;
}

std::vector<View> SwellSpec::views() const {
    std::vector<View> views;
    if (surface_) {
        View water{.type = View::Type::mesh,
                   .name = "surface",
                   .position = outputs_.size() - 1,
                   .colours = {water_colour},
                   .triangles = surface_->triangles()};
        water.look.order = ground_order;
        views.push_back(std::move(water));
    }
    for (std::size_t i = 0; i < floats_.size(); ++i) {
        const Swell::Hull& hull = floats_[i].hull;
        const std::size_t port = port_of(i);
        View view{.name = floats_[i].name, .position = port, .rotation = port + 1};
        view.look.colour = floats_[i].colour;
        const double height_m = floats_[i].height_m;
        if (height_m > 0 && hull.length_m > 0 && hull.width_m > 0) {
            view.solid = solid_of(Terrain::Box{.middle = {0, -0.5 * height_m, 0},
                                               .size = {hull.width_m, height_m, hull.length_m}});
        }
        views.push_back(std::move(view));
    }
    return views;
}

std::unique_ptr<RunningSystem> SwellSpec::start_running(const SystemInputs& inputs) const {
    return std::make_unique<RunningSwell>(*this, inputs);
}

double SwellSpec::highest_hz() const {
    double shortest_m = parameters.length_m;
    const Swell water = swell();
    for (const SwellWave& wave : water.waves())
        shortest_m = std::min(shortest_m, wave.length_m);
    return std::sqrt(9.80665 / (2 * math::pi * shortest_m));
}

/// Of each thing that floats: its place, how high it goes and how far it tilts.
std::vector<SystemReport> SwellSpec::report(const ReportInput& input) const {
    std::vector<SystemReport> reports;
    const std::vector<Port> ports = outputs();
    for (std::size_t i = 0; i < floats_.size(); ++i) {
        const std::size_t port = port_of(i);
        SystemReport report{.name = output_name(input.system, ports[port]),
                            .kind = kind(),
                            .words = in_words(port),
                            .value_kind = ValueKind::vector,
                            .unit = "m"};
        const auto columns_in = [&](const Take& take, const Port& of) {
            return take.columns_of(take.find_channel(value_channel(input.system, of)).value());
        };
        const Take::Columns places = columns_in(input.take, ports[port]);
        for (std::size_t k = 0; k < places.count; ++k) {
            report.components.push_back(
                {.name = std::string(1, "xyz"[k]), .values = input.take.column(places.first + k)});
        }
        const std::vector<double> heights =
            input.fine.column(columns_in(input.fine, ports[port]).first + 1);
        const auto [lowest, highest] = std::minmax_element(heights.begin(), heights.end());
        const std::size_t turns = columns_in(input.fine, ports[port + 1]).first;
        double least_up = 1;
        for (std::size_t row = 0; row < input.fine.row_count(); ++row) {
            const auto numbers = input.fine.row(row).subspan(turns, 4);
            const Quaternion turn{numbers[0], numbers[1], numbers[2], numbers[3]};
            least_up = std::min(least_up, rotated(turn, {0, 1, 0}).y);
        }
        const double tilt_rad = math::atan2(std::sqrt(1 - least_up * least_up), least_up);
        report.figures = {{"height_range_m", "height range", "m", *highest - *lowest},
                          {"largest_tilt_deg", "largest tilt", "deg", tilt_rad * 180 / math::pi}};
        reports.push_back(std::move(report));
    }
    return reports;
}

Floating read_float(KindReader& reader, Mounts& mounts, const std::vector<std::string>& taken) {
    Floating one{.name = reader.own_name(taken)};
    one.mount = mounts.read(reader);
    one.own = {three(reader, "at_m").value_or(Vector3{}), turn_at(reader)};
    const auto size = [&](const char* key, double& metres) {
        metres = reader.number(key).value_or(0);
        if (metres < 0) reader.problem(key, "expected a number of 0 or more");
    };
    size("length_m", one.hull.length_m);
    size("width_m", one.hull.width_m);
    size("height_m", one.height_m);
    one.colour = read_colour(reader.table(), "colour");
    reader.each_table("carried", "float spot", [&](KindReader& spot) {
        std::vector<std::string> others = KindReader::names_in(one.spots);
        others.emplace_back("facing");
        one.spots.push_back({spot.own_name(others), three(spot, "at_m").value_or(Vector3{})});
    });
    return one;
}

Surface read_surface(KindReader& reader) {
    Surface surface;
    surface.middle = three(reader, "middle_m").value_or(surface.middle);
    const auto size = [&](const char* key, double& metres) {
        const double wanted = reader.number(key).value_or(metres);
        if (wanted > 0) {
            metres = wanted;
        } else {
            reader.problem(key, "expected a number above 0");
        }
    };
    size("width_m", surface.width_m);
    size("depth_m", surface.depth_m);
    surface.columns = reader.whole_number("columns", 2, 100).value_or(surface.columns);
    return surface;
}

void read_swell(KindReader& reader) {
    SwellSettings settings;
    reader.dials(settings);
    settings.waves = static_cast<int>(reader.whole_number("waves", 1, 64).value_or(8));
    Mounts mounts;
    std::vector<Floating> floats;
    reader.each_table("floats", "float", [&](KindReader& one) {
        std::vector<std::string> taken = KindReader::names_in(floats);
        taken.emplace_back("surface");
        floats.push_back(read_float(one, mounts, taken));
    });
    std::optional<Surface> surface;
    reader.one_table("surface", "surface", [&](KindReader& one) { surface = read_surface(one); });
    reader.try_to([&] {
        reader.add(std::make_unique<SwellSpec>(settings, reader.random_stream("waves"),
                                               std::move(floats), surface),
                   mounts.targets());
    });
}

}  // namespace

SystemKind swell_kind() {
    using enum KeyType;
    std::vector<KeyFacts> float_keys{
        {"name", text, "its name; others follow `NAME.FLOAT` and `NAME.FLOAT.facing`", "required"},
        {"at_m", vector, "its place on still water, in the frame of `to` and `facing`",
         "[0, 0, 0]"},
        {"turned_deg", vector, "its rotation there: an axis times degrees", "[0, 0, 0]"},
        {"length_m", number,
         "length of its hull, along its z axis: waves shorter than that hardly move it", "0"},
        {"width_m", number, "width of its hull, along its x axis", "0"},
        {"height_m", number, "height of its hull below its place, in pictures", "a mark"},
        {"colour", text, "colour, as in \"#c86432\"", "the next of the palette"},
        {"carried",
         tables,
         "spots of it that others follow as `NAME.FLOAT.SPOT`: a masthead, a cleat",
         "none",
         {},
         {"float spot"}}};
    for (const KeyFacts& each : mount_keys())
        float_keys.push_back(each);
    return {
        "swell",
        {{"swell",
          "`[swell.NAME]`",
          "Waves that travel over deep water, and things that float on them: a skiff, a buoy, a "
          "pontoon for a ground.",
          {dial_key({"significant_height_m", number,
                     "mean height of the highest third of the waves, from trough to crest", "0.3"}),
           dial_key({"length_m", number, "length of the waves, from crest to crest", "6"}),
           dial_key({"heading_rad", number,
                     "direction in which they travel: 0 is +X, a quarter turn is -Z", "0"}),
           {"waves", whole_number,
            "number of waves of various lengths and headings that are added up; 1 is a regular "
            "wave of this height",
            "8"},
           {"floats", tables, "things that float", "none", {}, {"float"}},
           {"surface", table, "the water, to be seen", "it is not drawn", {}, {"surface"}}}},
         {"float", "A thing that floats on a swell",
          "It goes up and down and tilts with the water under its bow, stern and sides; what "
          "carries it moves it over the water.",
          float_keys},
         {"float spot",
          "A spot of a thing that floats",
          "",
          {{"name", text, "its name", "required"},
           {"at_m", vector, "where it is, in the frame of what floats", "[0, 0, 0]"}}},
         {"surface",
          "The surface of a swell",
          "",
          {{"middle_m", vector, "its middle; y is the height of still water", "[0, 0, 0]"},
           {"width_m", number, "its size along x", "8"},
           {"depth_m", number, "its size along z", "8"},
           {"columns", whole_number, "number of its points along x, 2 to 100", "25"}}}},
        {},
        read_swell};
}

}  // namespace hopcoil::scene
