#pragma once

#include <cstdint>
#include <span>
#include <vector>

#include "connections.hpp"
#include "contacts.hpp"
#include "parts_body.hpp"

namespace hopcoil {
namespace parts {

/// Groups of bodies that touch or hold each other, and so rest together.
class Islands {
  public:
    explicit Islands(std::size_t bodies) : parents_(bodies), is_restless_(bodies) {}

    /// Puts bodies to sleep that have been slow for long enough, with all that they touch.
    void update(std::span<Body> bodies, const Connections& connections, const Contacts& contacts,
                double dt, double sleep_speed) noexcept;

  private:
    [[nodiscard]] std::uint32_t root(std::uint32_t body) noexcept;
    void join(std::span<const Body> bodies, std::uint32_t a, std::uint32_t b) noexcept;

    std::vector<std::uint32_t> parents_;
    std::vector<std::uint8_t> is_restless_;
};

}  // namespace parts
}  // namespace hopcoil
