#include <cmath>

#include <hopcoil/scene/system.hpp>
#include <hopcoil/scene/system_report.hpp>
#include <hopcoil/scene/view.hpp>

namespace hopcoil::scene {

std::string SystemSpec::in_words(std::size_t /*port*/) const {
    return {};
}
std::vector<View> SystemSpec::views() const {
    return {};
}
std::vector<Scenery> SystemSpec::scenery() const {
    return {};
}
double SystemSpec::dial(std::size_t /*index*/) const {
    return 0;
}
DialStatus SystemSpec::set_dial(std::size_t /*index*/, double /*value*/) {
    return DialStatus::refused;
}
std::vector<SystemReport> SystemSpec::report(const ReportInput& /*input*/) const {
    return {};
}

std::string channel_name(const std::string& owner, const std::string& quantity,
                         const std::string& unit) {
    return unit.empty() || unit == "per_s" ? owner + '.' + quantity
                                           : owner + '.' + quantity + '_' + unit;
}

std::string output_name(const SceneSystem& system, const Port& port) {
    return port.name.empty() ? system.name : system.name + '.' + port.name;
}
std::string value_channel(const SceneSystem& system, const Port& port) {
    return channel_name(output_name(system, port), port.quantity, port.unit);
}
std::string velocity_unit(const Port& port) {
    const std::string unit = port.kind == ValueKind::rotation ? "rad" : port.unit;
    return unit.empty() ? "per_s" : unit + "_per_s";
}
std::string velocity_channel(const SceneSystem& system, const Port& port) {
    return channel_name(output_name(system, port), "velocity", velocity_unit(port));
}

std::vector<SystemReport> report_on(const Scene& scene, const Take& take, const Take& fine) {
    std::vector<SystemReport> reports;
    for (const SceneSystem& system : scene.systems) {
        for (SystemReport& report : system.spec->report({scene, system, take, fine}))
            reports.push_back(std::move(report));
    }
    return reports;
}

}  // namespace hopcoil::scene
