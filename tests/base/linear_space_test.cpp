#include <cmath>
#include <complex>
#include <limits>
#include <string>
#include <valarray>
#include <vector>

#include <Eigen/Core>
#include <catch2/catch.hpp>

#include <hopcoil/base/components.hpp>

#include "support/vectors.hpp"

using namespace hopcoil;

static_assert(LinearSpace<float> && LinearSpace<double>);
static_assert(LinearSpace<Eigen::Vector2f> && LinearSpace<Eigen::Vector3d>);
static_assert(LinearSpace<Eigen::Vector4f> && LinearSpace<Eigen::Array4f>);
static_assert(LinearSpace<Plain> && LinearSpace<ScaledFromTheLeft> && LinearSpace<Sealed>);
static_assert(LinearSpace<std::complex<double>>);

static_assert(!LinearSpace<int> && !LinearSpace<bool> && !LinearSpace<long double>);
static_assert(!LinearSpace<Eigen::Vector3i> && !LinearSpace<WholeNumbers>);
static_assert(!LinearSpace<Eigen::VectorXf> && !LinearSpace<std::vector<double>>);
static_assert(!LinearSpace<std::valarray<double>> && !LinearSpace<std::string>);

static_assert(std::same_as<ScalarIn<Plain>, float>);
static_assert(std::same_as<ScalarIn<ScaledFromTheLeft>, double>);
static_assert(std::same_as<ScalarIn<Sealed>, float>, "from what it is multiplied by");
static_assert(std::same_as<ScalarIn<Eigen::Vector3f>, float>);
static_assert(std::same_as<ScalarIn<Named>, float>, "as the specialisation says");

static_assert(component_count<Plain>() == 3 && component_count<Eigen::Vector4d>() == 4);
static_assert(HasComponents<float> && !HasComponents<Sealed>);

TEST_CASE("a number that is not finite is noticed in every type that shows or compares its numbers",
          "[linear_space]") {
    const float bad = std::numeric_limits<float>::quiet_NaN();
    const float unbounded = std::numeric_limits<float>::infinity();
    for (const float wrong : {bad, unbounded, -unbounded}) {
        CHECK_FALSE(is_finite(wrong));
        CHECK_FALSE(is_finite(Plain{0, wrong, 0}));
        CHECK_FALSE(is_finite(Eigen::Vector3f{0, 0, wrong}));
        CHECK_FALSE(is_finite(Sealed{wrong, 1}));
    }
    CHECK(is_finite(std::numeric_limits<float>::max()));
    CHECK(is_finite(Plain{1, 2, 3}));
    CHECK(is_finite(Sealed{1, 2}));
}

TEST_CASE("numbers below the limit become exactly zero, each by itself", "[linear_space]") {
    Plain plain{1e-31F, -1e-31F, 1e-29F};
    drop_below(plain, 1e-30F);
    CHECK(plain == Plain{0, 0, 1e-29F});

    Eigen::Vector3f eigen{1e-31F, -1e-31F, 1e-29F};
    drop_below(eigen, 1e-30F);
    CHECK(eigen == Eigen::Vector3f(0, 0, 1e-29F));

    // One that hides its numbers: what is well above the limit keeps every bit.
    Sealed hidden{1e-31F, 0.1F};
    drop_below(hidden, 1e-30F);
    CHECK(hidden == Sealed{0, 0.1F});
}

TEST_CASE("a length is compared without overflow or underflow", "[linear_space]") {
    CHECK(is_within(Eigen::Vector3d{3, 4, 0}, 5.0));
    CHECK_FALSE(is_within(Eigen::Vector3d{3, 4, 0.01}, 5.0));
    CHECK(is_within(Eigen::Vector2d{3e200, 4e200}, 5.0001e200));
    CHECK_FALSE(is_within(Eigen::Vector2d{3e-200, 4e-200}, 4.9999e-200));
    CHECK(is_within(0.0, 0.0));
    CHECK_FALSE(is_within(std::nan(""), 1e300));
    CHECK_FALSE(is_within(1.0, -1.0));
}
