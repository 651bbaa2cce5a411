#include "tool/heron.hpp"

#include <array>
#include <cmath>
#include <vector>

#include <fmt/format.h>

#include <hopcoil/base/components.hpp>
#include <hopcoil/base/math.hpp>
#include <hopcoil/base/version.hpp>
#include <hopcoil/follow/follower.hpp>
#include <hopcoil/follow/intent.hpp>
#include <hopcoil/spring/named_tunings.hpp>

#include "draw/palette.hpp"

namespace hopcoil::tool {
namespace {

constexpr double steps_per_s = 60;
constexpr double wait_s = 0.9;
constexpr double post_radius = 0.12;
constexpr double degrees = 180 / math::pi;

/// Tops of the posts, along the quay.
constexpr std::array<Vector3, 5> posts{
    {{0, 1.0, 0}, {1.1, 1.3, 0.2}, {2.0, 0.8, -0.1}, {3.4, 1.1, 0.3}, {4.2, 1.5, 0}}};

double ground(double x, double z) {
    for (const Vector3& post : posts) {
        if (length_of(Vector3{x - post.x, 0, z - post.z}) <= post_radius) return post.y;
    }
    return 0;  // the water
}

struct Frame {
    double time_s = 0.0;
    Vector3 feet{};
    Vector3 body{};
    double lean_rad = 0.0;      ///< forward, along the quay
    double off_gaze_rad = 0.0;  ///< between where it looks and where it will land
};

struct Hop {
    double takeoff_s = 0.0;
    Landing landing{};
    double off_gaze_rad = 0.0;  ///< at take-off
    double miss_m = 0.0;        ///< from the post's middle
};

struct Story {
    std::vector<Frame> frames{};
    std::vector<Hop> hops{};
};

/// Stands, turns its head to the next post, hops, and again.
Story live() {
    const Lean lean{.per_gap = 0, .per_acceleration = 0.04, .most_rad = 0.7};
    Follower<Vector3> body{*find_tuning("lively"), posts[0] + Vector3{0, 0.5, 0}};
    RotationFollower tilt{*find_tuning("brisk"), Quaternion{}};
    const Tuning gaze{.frequency_hz = 4, .damping_ratio = 1, .lead = 1};
    LookAt head{gaze, body.value(), posts[1]};
    Story story;
    Vector3 feet = posts[0];
    double time_s = 0;
    const auto frame = [&](const Vector3& spot) {
        time_s += 1 / steps_per_s;
        body.step(feet + Vector3{0, 0.5, 0}, 1 / steps_per_s);
        head.step(body.value(), spot, 1 / steps_per_s);
        const Vector3 ahead = rotated(head.value(), {0, 0, 1});
        const Vector3 wanted = spot - body.value();
        const double off = math::atan2(length_of(cross(ahead, wanted)), dot(ahead, wanted));
        tilt.step(lean_of(lean, body), 1 / steps_per_s);
        const double forward_rad = -rotation_vector(tilt.value()).z;
        story.frames.push_back({time_s, feet, body.value(), forward_rad, off});
    };
    for (std::size_t next = 1; next < posts.size(); ++next) {
        head.turn_to(body.value(), posts[next]);
        for (int i = 0; i < wait_s * steps_per_s; ++i)
            frame(posts[next]);
        const double flight_s = 0.35 + 0.15 * length_of(posts[next] - posts[next - 1]);
        const Flight flight{feet, launch_to(feet, posts[next], flight_s)};
        const Landing landing =
            landing_on(flight, ground).value_or(Landing{flight_s, posts[next], {}});
        story.hops.push_back({time_s, landing, story.frames.back().off_gaze_rad,
                              length_of(landing.place - posts[next])});
        const double takeoff_s = time_s;
        while (time_s + 1 / steps_per_s < takeoff_s + landing.time_s) {
            feet = flight.at(time_s + 1 / steps_per_s - takeoff_s);
            frame(landing.place);
        }
        feet = landing.place;
        frame(landing.place);
    }
    const Vector3 out_to_sea = posts.back() + Vector3{2, 0, 0};
    head.turn_to(body.value(), out_to_sea);
    for (int i = 0; i < 1.5 * steps_per_s; ++i)
        frame(out_to_sea);
    return story;
}

Take take_of(const Story& story) {
    Take take;
    take.begin(std::vector<RecordedChannel>{
        {.name = "feet_m", .kind = ChannelKind::vector, .components = 3, .unit = "m"},
        {.name = "body_m", .kind = ChannelKind::vector, .components = 3, .unit = "m"},
        {.name = "lean_rad", .unit = "rad"},
        {.name = "off_gaze_rad", .unit = "rad"}});
    for (const Frame& f : story.frames) {
        take.row(f.time_s, std::array<double, 8>{f.feet.x, f.feet.y, f.feet.z, f.body.x, f.body.y,
                                                 f.body.z, f.lean_rad, f.off_gaze_rad});
    }
    return take;
}

draw::Curve curve_of(const Take& take, const char* column, double scale, std::string_view colour) {
    draw::Curve curve{
        .xs = take.times_s(), .ys = take.column(*take.find_column(column)), .colour = colour};
    for (double& y : curve.ys)
        y *= scale;
    return curve;
}

draw::Chart chart_of(const Story& story, const Take& take) {
    draw::Chart chart{.title = "Saltlamp Quay: the heron hops from post to post",
                      .x_to = take.times_s().back(),
                      .footer = fmt::format("hopcoil {} demo: nothing in it is random", version)};
    const std::string_view feet = draw::series_colour(0);
    const std::string_view body = draw::series_colour(1);
    const std::string_view other = draw::series_colour(2);
    draw::Panel along{.y_label = "along (m)", .share = 1.2};
    draw::Panel height{.y_label = "height (m)", .share = 1.4};
    for (draw::Panel* panel : {&along, &height}) {
        const char axis = panel == &along ? 'x' : 'y';
        panel->curves.push_back(curve_of(take, fmt::format("feet_m.{}", axis).c_str(), 1, feet));
        panel->curves.push_back(curve_of(take, fmt::format("body_m.{}", axis).c_str(), 1, body));
    }
    along.legend = {{.colour = feet, .name = "feet", .notes = {"thrown, to land on the next post"}},
                    {.colour = body, .name = "body", .notes = {"follows them: lively"}}};
    for (const Hop& hop : story.hops) {
        height.marks.push_back({.x = hop.takeoff_s + hop.landing.time_s,
                                .y = hop.landing.place.y,
                                .text = "lands",
                                .colour = feet,
                                .above = false});
    }
    draw::Panel lean{.y_label = "lean (deg)"};
    lean.curves.push_back(curve_of(take, "lean_rad", degrees, other));
    lean.legend = {{.colour = other,
                    .name = "lean",
                    .notes = {"forward, as it speeds up,", "back as it slows down"}}};
    draw::Panel gaze{.y_label = "off gaze (deg)", .y_from = -35};  // room for the moments' texts
    gaze.curves.push_back(curve_of(take, "off_gaze_rad", degrees, draw::series_colour(4)));
    for (const Hop& hop : story.hops) {
        gaze.moments.push_back(
            {.x = hop.takeoff_s, .text = "takes off", .colour = draw::faint_ink});
    }
    gaze.legend = {{.colour = draw::series_colour(4),
                    .name = "gaze",
                    .notes = {"off the spot it will land on"}}};
    chart.panels = {along, height, lean, gaze};
    return chart;
}

}  // namespace

HeronRun run_heron() {
    const Story story = live();
    HeronRun run;
    run.take = take_of(story);
    run.chart = chart_of(story, run.take);
    run.summary = "Saltlamp Quay: the heron hops from post to post\n";
    run.section.heading = run.chart.title;
    run.section.text =
        "Before it takes off it looks at the spot where it will land; in the air it leans.";
    run.section.figure_says = "Feet and body along and up, lean, and gaze over time.";
    run.section.table.headings = {"hop", "takes off", "in the air", "looks past its landing by",
                                  "lands beside the middle by"};
    run.section.command = "hopcoil demo";
    Json hops = Json::array();
    for (std::size_t i = 0; i < story.hops.size(); ++i) {
        const Hop& hop = story.hops[i];
        run.summary += fmt::format(
            "  hop {}: off at {:.2f} s looking {:.1f} deg beside its landing, down {:.3f} s later, "
            "{:.3f} m off the middle of the post\n",

            i + 1, hop.takeoff_s, hop.off_gaze_rad * degrees, hop.landing.time_s, hop.miss_m);
        run.section.table.rows.push_back({fmt::format("{}", i + 1),
                                          fmt::format("{:.2f} s", hop.takeoff_s),
                                          fmt::format("{:.3f} s", hop.landing.time_s),
                                          fmt::format("{:.1f} deg", hop.off_gaze_rad * degrees),
                                          fmt::format("{:.3f} m", hop.miss_m)});
        hops.push_back({{"takeoff_s", hop.takeoff_s},
                        {"flight_s", hop.landing.time_s},
                        {"off_gaze_rad", hop.off_gaze_rad},
                        {"miss_m", hop.miss_m}});
    }
    run.report = {{"made_by", made_by("demo")}, {"hops", std::move(hops)}};
    return run;
}

}  // namespace hopcoil::tool
