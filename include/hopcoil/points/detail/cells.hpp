#pragma once

#include <algorithm>
#include <cmath>
#include <cstddef>
#include <cstdint>
#include <vector>

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/vector3.hpp>

namespace hopcoil {
inline namespace HOPCOIL_BITS {

/// Points sorted by cells of space, so that those near one another are found together.
///
/// Shapes  cells are shared by hash: a cell may hold points that are far away.
class Cells {
  public:
    void resize(std::size_t points) {
        starts_.resize(2 * points + 2);
        sorted_.resize(points);
    }

    /// All of so many points for which `is_there`, in cells as large as `size`.
    template <class PlaceOf, class IsThere>
    void sort(std::size_t count, const PlaceOf& place_of, double size,
              const IsThere& is_there) noexcept {
        size_ = size;
        std::fill(starts_.begin(), starts_.end(), 0U);
        for (std::size_t i = 0; i < count; ++i) {
            if (is_there(i)) ++starts_[cell_of(place_of(i)) + 2];
        }
        for (std::size_t i = 2; i < starts_.size(); ++i)
            starts_[i] += starts_[i - 1];
        for (std::uint32_t i = 0; i < count; ++i) {
            if (is_there(i)) sorted_[starts_[cell_of(place_of(i)) + 1]++] = i;
        }
    }

    /// Each point in the cells about a place, once.
    template <class Visit>
    void for_each_near(const Vector3& p, const Visit& visit) const noexcept {
        std::uint32_t looked[27];
        int count = 0;
        for (int k = 0; k < 27; ++k) {
            const int row = k / 3 % 3;
            const int layer = k / 9;
            const Vector3 aside{(k % 3 - 1) * size_, (row - 1) * size_, (layer - 1) * size_};
            const std::uint32_t cell = cell_of(p + aside);
            if (std::find(looked, looked + count, cell) != looked + count) continue;
            looked[count++] = cell;
            for (std::uint32_t at = starts_[cell]; at < starts_[cell + 1]; ++at)
                visit(sorted_[at]);
        }
    }

  private:
    [[nodiscard]] std::uint32_t cell_of(const Vector3& p) const noexcept {
        const auto whole = [this](double number) {
            return static_cast<std::uint32_t>(
                static_cast<std::int64_t>(std::floor(std::clamp(number / size_, -1e9, 1e9))));
        };
        const std::uint32_t hash =
            (whole(p.x) * 73856093U) ^ (whole(p.y) * 19349663U) ^ (whole(p.z) * 83492791U);
        return hash % static_cast<std::uint32_t>(starts_.size() - 2);
    }

    double size_ = 1;
    std::vector<std::uint32_t> starts_;
    std::vector<std::uint32_t> sorted_;
};

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
