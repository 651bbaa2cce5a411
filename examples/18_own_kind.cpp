// clang-format off
// A kind of system of the program's own in a scene file: a buoy that bobs, beside a lamp that
// follows it. It has keys, dials, an output and a view, as any built-in kind has.
#include <cmath>
#include <cstdio>
#include <filesystem>
#include <hopcoil/io/gltf.hpp>
#include <hopcoil/scene/kind.hpp>
#include <hopcoil/scene/own_system.hpp>
#include <hopcoil/scene/run.hpp>
#include <hopcoil/scene/scene_dials.hpp>
#include <hopcoil/io/take_file.hpp>
#include <hopcoil/scene/scene_nodes.hpp>
using namespace hopcoil;
using namespace hopcoil::io;
using namespace hopcoil::scene;

struct Float {  // how deep it floats, how calm it is
    double draught_m = 0.4, damping_ratio = 0.2;
    static std::span<const Dial<Float>> dials();
};
bool is_valid(const Float& f) { return f.draught_m > 0 && f.damping_ratio >= 0; }
std::span<const Dial<Float>> Float::dials() {
    using D = Dial<Float>;
    static constexpr D all[] = {
        field_dial<&Float::draught_m>(D{"draught_m", "m", {0, 100}, {0.1, 2}}),
        field_dial<&Float::damping_ratio>(D{"damping_ratio", "", {0, 100}, {0, 1}})};
    return all;
}

struct BuoySpec : SpecOf<BuoySpec, Float> {
    std::string kind() const override { return "buoy"; }
    std::vector<Port> outputs() const override {
        return {{.unit = "m", .kind = ValueKind::vector, .components = 3}};
    }
    std::vector<View> views() const override { return {{.position = 0}}; }
    std::unique_ptr<RunningSystem> start_running(const SystemInputs&) const override;
};
struct Buoy : RunningOf<Buoy, BuoySpec> {
    using RunningOf::RunningOf;
    double y = 0, rise = 0, time_s = 0;
    bool advance(double until_s, const SystemInputs& in) override {
        const double w = std::sqrt(9.80665 / parameters.draught_m), h = (until_s - time_s) / 8;
        for (int i = 0; i < 8; ++i, y += h * rise) {
            const double gap = in.targets[0].point.value[0] - y;
            rise += h * w * (w * gap - 2 * parameters.damping_ratio * rise);
        }
        time_s = until_s;
        return std::isfinite(y);
    }
    ValueAndVelocity output(std::size_t, std::size_t) const override {
        return {ValueArray{{0, y}}, ValueArray{{0, rise}}};
    }
    void visit_state(auto& fields) { fields(y, rise, time_s); }
};
std::unique_ptr<RunningSystem> BuoySpec::start_running(const SystemInputs&) const {
    return std::make_unique<Buoy>(*this);
}
const SystemKind buoy{"buoy", {{"buoy", "`[buoy.NAME]`", "Bobs.", {
    {"water", KeyType::source, "its level", "required"},
    {"draught_m", KeyType::number, "how deep it floats", "0.4", {}, {}, true},
    {"damping_ratio", KeyType::number, "how calm", "0.2", {}, {}, true}}}}, {},
    [](KindReader& reader) {
        auto spec = std::make_unique<BuoySpec>();
        reader.dials(spec->parameters);
        if (const auto water = reader.target("water")) reader.add(std::move(spec), {*water});
    }};

int main(int argc, char** argv) {
    Scene scene = read_scene(argc > 1 ? argv[1] : "examples/18_own_kind.toml", {buoy});
    Take take;
    run(scene, take);
    for (std::size_t i = 0; i < take.row_count(); i += 60)
        std::printf("%zu s: tide %6.3f m, bell %6.3f m\n", i / 60, take.row(i)[0], take.row(i)[2]);
    io::write_take(std::filesystem::temp_directory_path() / "hopcoil-18.csv", take);
    const io::Model model = io::model_of(take, model_channels_of(scene, take)).model;
    io::write_model(std::filesystem::temp_directory_path() / "hopcoil-18.glb", model);
    std::printf("%zu nodes, %zu dials\n", model.nodes.size(), dials_of(scene).size());
}
