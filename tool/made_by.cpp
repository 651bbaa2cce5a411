#include "tool/made_by.hpp"

#include <cmath>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/version.hpp>

namespace hopcoil::tool {

Json made_by(const std::string& command) {
    return {{"program", "hopcoil"}, {"version", version}, {"command", command}};
}

std::string made_by_line(const std::string& command) {
    return fmt::format("made by hopcoil {} {}", version, command);
}

Json to_json(const Tuning& tuning, double mass_kg) {
    const double w = angular_frequency_rad_per_s(tuning);
    Json json{{"frequency_hz", tuning.frequency_hz},
              {"damping_ratio", tuning.damping_ratio},
              {"lead", tuning.lead},
              {"angular_frequency_rad_per_s", w}};
    const SpringConstants constants = spring_constants_from(tuning, mass_kg);
    json["spring"] = {{"mass_kg", constants.mass_kg},
                      {"stiffness_n_per_m", constants.stiffness_n_per_m},
                      {"damping_n_s_per_m", constants.damping_n_s_per_m},
                      {"lead", constants.lead}};
    if (w > 0) {
        const Coefficients coefficients = coefficients_from(tuning);
        json["coefficients"] = {{"y_rate_s", coefficients.y_rate_s},
                                {"y_acceleration_s2", coefficients.y_acceleration_s2},
                                {"x_rate_s", coefficients.x_rate_s}};
    } else {
        json["coefficients"] = nullptr;
        json["coefficients_reason"] = "a frequency of 0 Hz has no coefficient form";
    }
    return json;
}

void set_figure(Json& json, const std::string& key, const Figure& figure) {
    if (figure.value()) {
        json[key] = *figure.value();
    } else {
        json[key] = nullptr;
        json[key + "_reason"] = figure.reason();
    }
}

void print_json(const Json& json) {
    fmt::print("{}\n", json.dump(2, ' ', false, Json::error_handler_t::replace));
}

}  // namespace hopcoil::tool
