#pragma once

/// @file
/// What stands below the options of each command in its help: examples that work as typed.

namespace hopcoil::tool::help {

inline constexpr const char* response =
    "Examples: a lively feel beside a calm one; a wish beside a glide\n"
    "  hopcoil response --frequency 2 --damping-ratio 0.2 0.7 --figure jump.png\n"
    "  hopcoil response --wish 12:0.4 --glide 0.08 --figure wish.png\n"
    "  hopcoil response --frequency 2 --damping-ratio 0.2 --signal frequencies --figure gain.png\n"
    "Figures describe the continuous motion, whatever --rate and --seconds.";

inline constexpr const char* run =
    "Examples: with its report; a model; a long take and nothing else\n"
    "  hopcoil run scenes/quay/vane.toml --out vane-take\n"
    "  hopcoil run scenes/quay/boom_lamp.toml --take lamp.glb\n"
    "  hopcoil run scenes/quay/vane.toml --seconds 3600 --take hour.csv --take-only";

inline constexpr const char* live = "Example:\n  hopcoil live scenes/quay/vane.toml";

inline constexpr const char* tunings =
    "Examples: what there is; one of them, and a wish, in every form\n"
    "  hopcoil tunings\n"
    "  hopcoil tunings lively --wish 12:0.4\n"
    "Two compared; a wish kept for scenes to use\n"
    "  hopcoil tunings lively taut --compare --figure both.png\n"
    "  hopcoil tunings --wish 12:0.4 --save nod --into quay.toml --about \"a quick nod\"\n"
    "All numbers of a chain kept; a scene that uses them\n"
    "  hopcoil tunings --scene scenes/quay/streamer.toml --system streamer --save tail\n"
    "  hopcoil run scenes/quay/streamer.toml --tunings tunings.toml --set floats=tail";

inline constexpr const char* timestep =
    "Examples: one spring; all of a scene\n"
    "  hopcoil timestep --frequency 4 --damping-ratio 0.3 --figure map.png\n"
    "  hopcoil timestep scenes/quay/boom_lamp.toml --rates 30 60 --wanted-error 2";

inline constexpr const char* sweep =
    "A FIGURE is one that run or response prints, or the end of its name: rms_gap.\n"
    "Examples: which damping; a scene's best; where a scheme is stable; in two parts\n"
    "  hopcoil sweep --frequency 2 --vary damping_ratio=0.2:1:9 --keep \"overshoot_percent<15\" "
    "--rank settling_time_s\n"
    "  hopcoil sweep scenes/quay/vane.toml --vary brass.frequency_hz=0.5:4:6:log --vary "
    "brass.damping_ratio=0.2:1.2:6 --rank brass.rms_gap --figure map.png\n"
    "  hopcoil sweep --vary step_hz=10:240:24:log --vary frequency_hz=0.5:30:16:log --rank "
    "velocity_verlet.regime --figure regions.png\n"
    "  hopcoil sweep scenes/quay/vane.toml --vary brass.frequency_hz=0.5:4:8 --shard 1/2 --out "
    "part1.csv";

inline constexpr const char* fit =
    "Exit code 1 when a wish cannot be met, or the numbers do not explain the reference.\n"
    "Examples: a tuning for a wish; one that explains a record; numbers of a scene\n"
    "  hopcoil fit --want overshoot_percent=12 settling_time_s=0.4 \"peak_velocity<9\"\n"
    "  hopcoil fit --reference scenes/quay/sign.csv --target bracket_m --motion sign_m --figure "
    "sign.png\n"
    "  hopcoil fit scenes/quay/vane.toml --want brass.rms_gap=0.05 --vary brass.frequency_hz=0.5:8";

inline constexpr const char* bake =
    "Examples: a scene's motions; one channel of a take, as a loop; a model\n"
    "  hopcoil bake scenes/quay/boom_lamp.toml --out lamp-keys.json\n"
    "  hopcoil bake vane-take/vane.csv --channel brass.value_rad --loop-over 2 --out "
    "brass.csv\n"
    "  hopcoil bake scenes/quay/boom_lamp.toml --out lamp.glb";

inline constexpr const char* check =
    "Prints every problem as FILE:LINE:COLUMN: KEY: what was expected, and runs nothing. Exit "
    "code 1 when there is one.\n"
    "Examples: a scene; a take, whether it is still as it was\n"
    "  hopcoil check scenes/quay/vane.toml\n"
    "  hopcoil check vane-take/vane.csv --against before.csv --within 1e-6";

inline constexpr const char* demo =
    "Examples:\n  hopcoil demo --out hopcoil-demo\n  hopcoil demo deckhand heron";

}  // namespace hopcoil::tool::help
