#pragma once

#include <cstddef>
#include <new>

#include <hopcoil/base/build.hpp>

namespace hopcoil {
inline namespace HOPCOIL_BITS {

/// Allocates from the start of a cache line on, so that no vector of numbers lies across two.
template <class T>
struct LineAllocator {
    using value_type = T;

    LineAllocator() = default;
    template <class U>
    LineAllocator(const LineAllocator<U>& /*other*/) noexcept {}

    [[nodiscard]] T* allocate(std::size_t count) {
        return static_cast<T*>(::operator new(count * sizeof(T), line));
    }
    void deallocate(T* first, std::size_t /*count*/) noexcept { ::operator delete(first, line); }
    friend bool operator==(const LineAllocator&, const LineAllocator&) noexcept { return true; }

  private:
    static constexpr std::align_val_t line{64};
};

}  // namespace HOPCOIL_BITS
}  // namespace hopcoil
