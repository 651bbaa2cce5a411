// A program's own vector types go with every mover, padding or not.

#include <cmath>

#include <catch2/catch.hpp>

#include <hopcoil/follow/bounded_follower.hpp>
#include <hopcoil/follow/cascade.hpp>
#include <hopcoil/follow/coast.hpp>
#include <hopcoil/follow/curve_move.hpp>
#include <hopcoil/follow/follower.hpp>
#include <hopcoil/follow/glide.hpp>
#include <hopcoil/follow/pursuit.hpp>
#include <hopcoil/follow/size_follower.hpp>
#include <hopcoil/follow/stepped_follower.hpp>

#include "support/random.hpp"
#include "support/vectors.hpp"

using namespace hopcoil;

namespace {

/// Made in braces, three numbers and padding up to 16 bytes.
struct alignas(16) Padded {
    float x = 0;
    float y = 0;
    float z = 0;

    friend Padded operator+(Padded a, Padded b) { return {a.x + b.x, a.y + b.y, a.z + b.z}; }
    friend Padded operator-(Padded a, Padded b) { return {a.x - b.x, a.y - b.y, a.z - b.z}; }
    friend Padded operator*(Padded a, float s) { return {a.x * s, a.y * s, a.z * s}; }
    friend bool operator==(Padded, Padded) = default;
};

/// The same with a constructor.
struct alignas(16) Constructed {
    float x = 0;
    float y = 0;
    float z = 0;

    Constructed() = default;
    Constructed(float first, float second, float third) : x{first}, y{second}, z{third} {}
    friend Constructed operator+(Constructed a, Constructed b) {
        return {a.x + b.x, a.y + b.y, a.z + b.z};
    }
    friend Constructed operator-(Constructed a, Constructed b) {
        return {a.x - b.x, a.y - b.y, a.z - b.z};
    }
    friend Constructed operator*(Constructed a, float s) { return {a.x * s, a.y * s, a.z * s}; }
};

/// Carries something else: its numbers are not all that is in it.
struct Tagged {
    float x = 0;
    float y = 0;
    std::int32_t id = 0;

    friend Tagged operator+(Tagged a, Tagged b) { return {a.x + b.x, a.y + b.y, a.id}; }
    friend Tagged operator-(Tagged a, Tagged b) { return {a.x - b.x, a.y - b.y, a.id}; }
    friend Tagged operator*(Tagged a, float s) { return {a.x * s, a.y * s, a.id}; }
};

}  // namespace

template <>
inline constexpr bool hopcoil::is_packed_scalars<Tagged> = false;

static_assert(component_count<Padded>() == 3);
static_assert(component_count<Constructed>() == 3);
static_assert(component_count<Plain>() == 3);
static_assert(!HasComponents<Tagged> && LinearSpace<Tagged>);

namespace {

/// The same calls for two types of vector; what came of them number by number.
template <class V, class Make>
void same_as_plain(const Make& make) {
    auto own = make(V{1, 2, 3});
    auto plain = make(Plain{1, 2, 3});
    Random random{4};
    for (int i = 0; i < 300; ++i) {
        const auto number = [&] {
            return static_cast<float>(random.between(0.5, 5));
        };
        const float x = number();
        const float y = number();
        const float z = number();
        const double dt = random.between(0, 0.1);
        if constexpr (requires { own.launch(V{x, y, z}); }) {
            if (i % 50 == 0) {
                own.launch(V{x, y, z});
                plain.launch(Plain{x, y, z});
            }
            own.step(dt);
            plain.step(dt);
        } else {
            own.step(V{x, y, z}, dt);
            plain.step(Plain{x, y, z}, dt);
        }
        const V value = own.value();
        const Plain expected = plain.value();
        REQUIRE(value.x == expected.x);
        REQUIRE(value.y == expected.y);
        REQUIRE(value.z == expected.z);
        REQUIRE(own.distance_to_target() == plain.distance_to_target());
    }
    own.reset(V{1, 1, 1});
    CHECK(own.at_rest(1e-6, 1e-6));
}

}  // namespace

TEMPLATE_TEST_CASE("padding behind a vector's numbers changes no bit of any motion", "[own types]",
                   Padded, Constructed) {
    const Tuning tuning{.frequency_hz = 2, .damping_ratio = 0.4, .lead = 0.3};
    same_as_plain<TestType>([&]<class V>(V start) { return Follower<V>{tuning, start}; });
    same_as_plain<TestType>([&]<class V>(V start) { return Glide<V>{GlideTuning{0.1}, start}; });
    same_as_plain<TestType>([&]<class V>(V start) {
        return Pursuit<V>{{.max_speed = 3, .max_acceleration = 20}, start};
    });
    same_as_plain<TestType>([&]<class V>(V start) {
        Coast<V> coast{{.at_bound = AtBound::bounce}, start};
        coast.set_bounds(V{0, 0, 0}, V{6, 6, 6});
        return coast;
    });
    same_as_plain<TestType>([&]<class V>(V start) {
        return BoundedFollower<V>{tuning, {V{0, 0, 0}, V{6, 6, 6}, 0.1}, start};
    });
    same_as_plain<TestType>([&]<class V>(V start) { return SizeFollower<V>{tuning, start}; });
    same_as_plain<TestType>([&]<class V>(V start) {
        return SteppedFollower<V>{tuning, {.scheme = Scheme::velocity_verlet}, start};
    });
    same_as_plain<TestType>([&]<class V>(V start) {
        return CurveMove<V>{{.duration_s = 0.3}, start};
    });
}

TEST_CASE("what is not finite in a padded vector is noticed, its padding never", "[own types]") {
    Follower<Constructed> lamp{{}, Constructed{1, 2, 3}};
    const float nan = std::nanf("");
    lamp.step(Constructed{nan, 0, 0}, 0.1);
    lamp.step(Constructed{0, 0, nan}, 0.1);
    CHECK(lamp.rejected_inputs() == 2);
    CHECK(lamp.value().z == 3);
    // In a game that is paused no time passes and nothing moves.
    lamp.step(Constructed{4, 5, 6}, 0.2);
    const float before = lamp.value().y;
    for (int i = 0; i < 10; ++i)
        lamp.step(lamp.target(), 0);
    CHECK(lamp.value().y == before);
}

TEST_CASE("a type that says it carries more than its numbers still follows", "[own types]") {
    Follower<Tagged> lamp{{}, Tagged{1, 2, 7}};
    lamp.step(Tagged{3, 4, 7}, 0.1);
    CHECK(lamp.value().x > 1);
    CHECK(lamp.value().id == 7);
}
