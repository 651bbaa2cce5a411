// The set-up of connections: the order in which their rows are solved, and the memory they need.

#include <algorithm>
#include <cstdint>
#include <vector>

#include "connections.hpp"

namespace hopcoil::parts {

Connections::Connections(const PartsStructure& structure, const PartsSettings& settings,
                         std::span<const Body> bodies)
    : spring_stiffness_{settings.spring_stiffness_factor},
      spring_damping_{settings.spring_damping_factor} {
    all_.reserve(structure.joints.size() + structure.links.size());
    for (const PartJoint& joint : structure.joints) {
        all_.emplace_back(joint, bodies);
    }
    for (PartLink link : structure.links) {
        if (link.stiffness_n_per_m < stiff_as_rock)
            link.stiffness_n_per_m *= settings.link_stiffness_factor;
        link.damping_n_s_per_m *= settings.link_damping_factor;
        all_.emplace_back(link, bodies);
    }
    pulls_.resize(all_.size());
    starts_.resize(all_.size());
    seen_.resize(all_.size());
    loads_.resize(bodies.size());
    first_of_body_.resize(bodies.size());
    find_order();
    reserve(bodies);
}

/// As many numbers as there would be with every row there is.
void Connections::reserve(std::span<const Body> bodies) {
    const std::size_t most_rows = all_.size() * Connection::component_count;
    rows_.resize(most_rows);
    active_.resize(most_rows);
    firsts_.resize(most_rows);
    sides_.resize(most_rows);
    std::vector<std::size_t> first(bodies.size(), most_rows);
    std::size_t numbers = 0;
    std::size_t row = 0;
    for (const std::uint32_t index : order_) {
        const Connection& one = all_[index];
        std::size_t own = row;
        for (const std::uint32_t body : {one.a(), one.b()}) {
            if (bodies[body].inverse_mass == 0) continue;
            first[body] = std::min(first[body], row);
            own = std::min(own, first[body]);
        }
        const std::size_t count = one.is_link() ? 1 : Connection::component_count;
        for (std::size_t k = 0; k < count; ++k, ++row)
            numbers += row + 1 - own;
    }
    matrix_.reserve(most_rows, numbers);
}

/// Breadth first from an end of what hangs together, then backwards (reverse Cuthill-McKee), so
/// that rows which share a body are near each other.
void Connections::find_order() {
    const auto share = [&](std::size_t i, std::size_t j) {
        const auto world = static_cast<std::uint32_t>(loads_.size() - 1);
        for (const std::uint32_t body : {all_[i].a(), all_[i].b()}) {
            if (body != world && (body == all_[j].a() || body == all_[j].b())) return true;
        }
        return false;
    };
    std::vector<std::vector<std::uint32_t>> neighbours(all_.size());
    std::vector<std::vector<std::uint32_t>> of_body(loads_.size());
    for (std::size_t i = 0; i < all_.size(); ++i) {
        for (const std::uint32_t body : {all_[i].a(), all_[i].b()})
            of_body[body].push_back(static_cast<std::uint32_t>(i));
    }
    of_body.back().clear();
    for (std::size_t i = 0; i < all_.size(); ++i) {
        for (const std::uint32_t body : {all_[i].a(), all_[i].b()}) {
            for (const std::uint32_t j : of_body[body]) {
                if (j != i && share(i, j)) neighbours[i].push_back(j);
            }
        }
    }
    std::vector<std::uint32_t> by_degree(all_.size());
    for (std::size_t i = 0; i < all_.size(); ++i)
        by_degree[i] = static_cast<std::uint32_t>(i);
    const auto has_fewer = [&](std::uint32_t i, std::uint32_t j) {
        return neighbours[i].size() < neighbours[j].size();
    };
    std::stable_sort(by_degree.begin(), by_degree.end(), has_fewer);
    std::vector<bool> is_placed(all_.size(), false);
    for (const std::uint32_t start : by_degree) {
        if (is_placed[start]) continue;
        std::size_t next = order_.size();
        order_.push_back(start);
        is_placed[start] = true;
        for (; next < order_.size(); ++next) {
            std::vector<std::uint32_t> more = neighbours[order_[next]];
            std::stable_sort(more.begin(), more.end(), has_fewer);
            for (const std::uint32_t each : more) {
                if (is_placed[each]) continue;
                is_placed[each] = true;
                order_.push_back(each);
            }
        }
    }
    std::reverse(order_.begin(), order_.end());
}

}  // namespace hopcoil::parts
