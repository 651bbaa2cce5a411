// [wind.NAME]: a field that blows on others; what it is at places can be recorded and followed.

#include "wind.hpp"

#include <cmath>

#include <fmt/format.h>

#include <hopcoil/field/wind.hpp>
#include <hopcoil/measure/tracking.hpp>
#include <hopcoil/scene/kind.hpp>
#include <hopcoil/scene/system_report.hpp>
#include <hopcoil/scene/view.hpp>

#include "mounts.hpp"
#include "read_mover.hpp"
#include "vectors.hpp"

namespace hopcoil::scene {
namespace {

/// A place at which the wind is recorded.
struct Probe {
    std::string name{};
    Vector3 place{};
};

class RunningWind final : public RunningSystem {
  public:
    RunningWind(Wind wind, std::vector<Probe> probes, double time_s)
        : wind_{std::move(wind)}, probes_{std::move(probes)}, time_s_{time_s} {}

    bool advance(double time_s, const SystemInputs& /*inputs*/) override {
        time_s_ = time_s;
        return true;
    }
    [[nodiscard]] ValueAndVelocity output(std::size_t port, std::size_t /*index*/) const override {
        return {array_of(wind_.at(probes_[port].place, time_s_).velocity), {}};
    }
    bool retune(const SystemSpec& spec) override;
    void save(StateWriter& out) override { out(time_s_); }
    void load(StateReader& in) override { in(time_s_); }

  private:
    [[nodiscard]] const void* field(const std::type_info& type) const override {
        return type == typeid(Wind) ? &wind_ : nullptr;
    }

    Wind wind_;
    std::vector<Probe> probes_;
    double time_s_;
};

class WindSpec final : public SystemSpec {
  public:
    WindSpec(WindSettings settings, std::uint64_t stream, std::vector<Shelter> shelters,
             std::vector<Probe> probes)
        : settings_{settings},
          stream_{stream},
          shelters_{std::move(shelters)},
          probes_{std::move(probes)} {
        static_cast<void>(Wind{settings_, stream_, shelters_});  // refuses what cannot be
    }

    [[nodiscard]] const WindSettings& settings() const { return settings_; }
    [[nodiscard]] std::unique_ptr<SystemSpec> clone() const override {
        return std::make_unique<WindSpec>(*this);
    }
    [[nodiscard]] std::string kind() const override { return "wind"; }
    [[nodiscard]] std::string in_words(std::size_t /*port*/) const override {
        const Vector3& mean = settings_.mean_m_per_s;
        return fmt::format("{:.3g} m/s, gusts {:.3g} m/s of {:.3g} s", std::sqrt(dot(mean, mean)),
                           settings_.spread_m_per_s, settings_.correlation_s);
    }
    [[nodiscard]] std::vector<Port> outputs() const override {
        std::vector<Port> ports;
        for (const Probe& probe : probes_) {
            ports.push_back({.name = probe.name,
                             .unit = "m_per_s",
                             .kind = ValueKind::vector,
                             .components = 3,
                             .has_velocity = false});
        }
        return ports;
    }
    [[nodiscard]] std::vector<SpecDial> dials() const override {
        std::vector<SpecDial> all;
        append_dials<WindSettings>(all, "", "");
        // In the file the mean is a list.
        const char* const axes[]{"0", "1", "2"};
        for (std::size_t i = 0; i < 3; ++i)
            all[i].key = fmt::format("mean_m_per_s.{}", axes[i]);
        return all;
    }
    [[nodiscard]] double dial(std::size_t index) const override {
        return WindSettings::dials()[index].get(settings_);
    }
    DialStatus set_dial(std::size_t index, double value) override {
        return WindSettings::dials()[index].set(settings_, value);
    }
    [[nodiscard]] std::unique_ptr<RunningSystem> start_running(
        const SystemInputs& inputs) const override {
        return std::make_unique<RunningWind>(Wind{settings_, stream_, shelters_}, probes_,
                                             inputs.time_s);
    }
    [[nodiscard]] bool is_stateless() const override { return true; }
    [[nodiscard]] bool has_field(const std::type_info& type) const override {
        return type == typeid(Wind);
    }
    [[nodiscard]] std::vector<SystemReport> report(const ReportInput& input) const override;

  private:
    WindSettings settings_;
    std::uint64_t stream_;
    std::vector<Shelter> shelters_;
    std::vector<Probe> probes_;
};

bool RunningWind::retune(const SystemSpec& spec) {
    wind_.retune(dynamic_cast<const WindSpec&>(spec).settings());
    return true;
}

/// The speed at a probe, in each row of a take.
std::vector<double> speeds_of(const Take& take, Take::Columns columns) {
    std::vector<double> speeds;
    for (std::size_t row = 0; row < take.row_count(); ++row) {
        double square = 0;
        for (const double part : take.row(row).subspan(columns.first, columns.count))
            square += part * part;
        speeds.push_back(std::sqrt(square));
    }
    return speeds;
}

/// At each probe: its components, mean, spread, and the largest change within 1/60 s.
std::vector<SystemReport> WindSpec::report(const ReportInput& input) const {
    std::vector<SystemReport> reports;
    for (const Port& port : outputs()) {
        SystemReport report{.name = output_name(input.system, port),
                            .kind = kind(),
                            .words = in_words(0),
                            .value_kind = ValueKind::vector,
                            .unit = "m/s"};
        const std::string channel = value_channel(input.system, port);
        const auto columns_in = [&](const Take& take) {
            return take.columns_of(take.find_channel(channel).value());
        };
        const Take::Columns columns = columns_in(input.take);
        for (std::size_t k = 0; k < columns.count; ++k) {
            report.components.push_back(
                {.name = std::string(1, "xyz"[k]), .values = input.take.column(columns.first + k)});
        }
        const std::vector<double> speeds = speeds_of(input.fine, columns_in(input.fine));
        const auto rows = static_cast<double>(speeds.size());
        const double spacing_s = input.fine.times_s().back() / std::max(1.0, rows - 1);
        const auto apart = static_cast<std::size_t>(
            spacing_s > 0 ? std::max(1.0, std::round(1 / (60 * spacing_s))) : 1.0);
        double mean = 0;
        double square = 0;
        double largest_change = 0;
        for (std::size_t row = 0; row < speeds.size(); ++row) {
            mean += speeds[row] / rows;
            square += speeds[row] * speeds[row] / rows;
            if (row >= apart) {
                largest_change =
                    std::max(largest_change, std::abs(speeds[row] - speeds[row - apart]));
            }
        }
        report.figures = {
            {"mean_speed", "mean speed", "m/s", mean},
            {"speed_deviation", "standard deviation", "m/s",
             std::sqrt(std::max(0.0, square - mean * mean))},
            {"largest_change_in_a_60th_s", "largest change within 1/60 s", "m/s", largest_change}};
        reports.push_back(std::move(report));
    }
    return reports;
}

void read_wind(KindReader& reader) {
    WindSettings settings;
    settings.mean_m_per_s = three(reader, "mean_m_per_s").value_or(settings.mean_m_per_s);
    const auto read = [&](const char* key, double& number) {
        number = reader.number(key).value_or(number);
    };
    read("spread_m_per_s", settings.spread_m_per_s);
    read("across_share", settings.across_share);
    read("up_share", settings.up_share);
    read("correlation_s", settings.correlation_s);
    read("gust_length_m", settings.gust_length_m);
    read("roughness", settings.roughness);
    settings.is_divergence_free = reader.flag("divergence_free").value_or(false);
    settings.octaves = static_cast<int>(reader.whole_number("octaves", 1, 12).value_or(2));
    std::vector<Shelter> shelters;
    reader.each_table("shelters", "shelter", [&](KindReader& one) {
        Shelter shelter;
        if (!one.has("at_m")) one.problem("", "expected a key 'at_m'");
        shelter.centre = three(one, "at_m").value_or(Vector3{});
        shelter.radius_m = one.number("radius_m").value_or(shelter.radius_m);
        shelter.wake_m = one.number("wake_m").value_or(shelter.wake_m);
        shelter.strength = one.number("strength").value_or(shelter.strength);
        if (one.try_to([&] { require_valid(shelter); })) shelters.push_back(shelter);
    });
    std::vector<Probe> probes;
    reader.each_table("probes", "probe", [&](KindReader& one) {
        probes.push_back(
            {one.own_name(KindReader::names_in(probes)), three(one, "at_m").value_or(Vector3{})});
    });
    reader.try_to([&] {
        reader.add(std::make_unique<WindSpec>(settings, reader.random_stream("gusts"),
                                              std::move(shelters), std::move(probes)),
                   {});
    });
}

}  // namespace

SystemKind wind_kind() {
    using enum KeyType;
    return {
        "wind",
        {{"wind",
          "`[wind.NAME]`",
          "A wind or a current with gusts. It acts on every system that names it in its key "
          "`wind`, coherently.",
          {dial_key({"mean_m_per_s", vector, "mean velocity, in the direction it blows to: x, y, z",
                     "[4, 0, 0]"}),
           dial_key(
               {"spread_m_per_s", number, "standard deviation of the speed along the mean", "1"}),
           dial_key({"across_share", number,
                     "standard deviation across the mean, as a part of the one along it", "0.6"}),
           dial_key({"up_share", number,
                     "standard deviation up and down, as a part of the one along the mean", "0.3"}),
           dial_key({"correlation_s", number, "duration of a gust at one place (correlation time)",
                     "1.5"}),
           dial_key({"gust_length_m", number,
                     "size of a gust: places nearer to each other feel the same one; at least the "
                     "mean speed times `correlation_s`",
                     "8"}),
           {"divergence_free", flag,
            "`true`: divergence-free, so that particles neither gather nor thin out; both shares "
            "are then 1",
            "`false`"},
           {"octaves", whole_number, "number of octaves, each twice as fine as the one before",
            "2"},
           dial_key({"roughness", number, "amplitude of each octave over that of the one before",
                     "0.5"}),
           {"shelters",
            tables,
            "round obstacles in whose wake the wind is weaker",
            "none",
            {},
            {"shelter"}},
           {"probes", tables, "places at which the wind is recorded", "none", {}, {"probe"}}}},
         {"shelter",
          "A shelter from a wind",
          "A round obstacle in whose wake the wind is weaker.",
          {{"at_m", vector, "its centre", "required"},
           {"radius_m", number, "its radius", "1"},
           {"wake_m", number, "length of the wake, after which the wind has recovered", "6"},
           {"strength", number, "part of the wind that is missing right behind it, 0 to 1",
            "0.8"}}},
         {"probe",
          "A probe of a wind",
          "",
          {{"name", text, "its name; it is recorded as `NAME.PROBE`", "required"},
           {"at_m", vector, "where it is", "[0, 0, 0]"}}}},
        {},
        read_wind};
}

}  // namespace hopcoil::scene
