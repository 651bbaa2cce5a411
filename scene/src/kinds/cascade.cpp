// [cascade.NAME]

#include <algorithm>

#include <hopcoil/follow/cascade.hpp>

#include "mover_kind.hpp"

namespace hopcoil::scene {

template <>
struct MoverTraits<CascadeParameters> : UsualMoverTraits<CascadeParameters> {
    static constexpr const char* kind = "cascade";
    static constexpr bool is_linear = true;
    static std::size_t part_count(const CascadeParameters& cascade) {
        return cascade.tunings.size();
    }
    static std::string part_name(const CascadeParameters& cascade, std::size_t port) {
        return cascade.names.at(port);
    }
    static std::string in_words(const CascadeParameters& cascade, std::size_t port) {
        return scene::in_words(cascade.tunings.at(port));
    }
    template <class T>
    static Cascade<T> make(const CascadeParameters& cascade, const T& start) {
        return {cascade.tunings, start};
    }
    template <class P>
    static auto& with_dials(P& parameters, std::size_t port) {
        return parameters.tunings.at(port);
    }
    static std::string key_prefix(std::size_t port) {
        return fmt::format("links.{}.tuning.", port);
    }
    static const Tuning* tuning(const CascadeParameters& cascade, std::size_t port) {
        return &cascade.tunings.at(port);
    }
    static double highest_hz(const CascadeParameters& cascade) {
        double highest = 0;
        for (const Tuning& each : cascade.tunings)
            highest = std::max(highest, each.frequency_hz);
        return highest;
    }
    /// A link, as the last of those up to it.
    static CascadeParameters by_itself(const CascadeParameters& cascade, std::size_t port) {
        CascadeParameters up_to = cascade;
        up_to.names.resize(port + 1);
        up_to.tunings.resize(port + 1);
        return up_to;
    }
    static double observation_time_s(const CascadeParameters& cascade, double /*size*/) {
        double sum_s = 0;
        for (const Tuning& each : cascade.tunings)
            sum_s += settled_s(each);
        return sum_s;
    }
    static Figure ramp_lag_s(const CascadeParameters& cascade) {
        double sum_s = 0;
        for (const Tuning& each : cascade.tunings) {
            const Figure lag = ramp_lag_of(each);
            if (!lag.value()) return lag;
            sum_s += *lag.value();
        }
        return sum_s;
    }
    static auto solve(const CascadeParameters& now, std::size_t port, double overshoot_percent,
                      double settling_time_s) {
        return solved_tuning(now.tunings.at(port), overshoot_percent, settling_time_s);
    }
};

AnySpec mover_spec(const CascadeParameters& cascade, const MoverShape& shape, MoverStart start) {
    require_valid_links(cascade.tunings);
    return std::make_unique<MoverSpec<CascadeParameters>>(cascade, shape, std::move(start));
}

namespace {

void read_cascade(KindReader& reader) {
    MoverTable table = read_mover_table(reader, true, CanTurn::no);
    CascadeParameters cascade;
    reader.each_table("links", "link", [&](KindReader& link) {
        const std::string name = link.own_name(cascade.names);
        cascade.names.push_back(name.empty() ? fmt::format("link{}", cascade.names.size()) : name);
        cascade.tunings.push_back(link.tuning("tuning"));
    });
    if (cascade.names.empty()) {
        reader.problem(reader.has("links") ? "links" : "",
                       "expected a list 'links' of tables such as { name = \"lamp\", tuning = { "
                       "frequency_hz = 2 } }");
        return;
    }
    add_mover(reader, std::move(table), cascade);
}

}  // namespace

SystemKind cascade_kind() {
    using enum KeyType;
    return {"cascade",
            {{"cascade", "`[cascade.NAME]`", "Followers behind followers.",
              joined(mover_keys(true), {{"links",
                                         tables,
                                         "its followers, each following the one before",
                                         "required",
                                         {},
                                         {"link"}}})},
             {"link",
              "A link of a cascade",
              "",
              {{"name", text, "its name", "required"}, tuning_key()}}},
            {},
            read_cascade};
}

}  // namespace hopcoil::scene
