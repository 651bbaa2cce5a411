#pragma once

#include <array>
#include <cstddef>
#include <cstdint>
#include <span>
#include <vector>

#include <hopcoil/base/system.hpp>
#include <hopcoil/base/vector3.hpp>
#include <hopcoil/follow/follower_bank.hpp>
#include <hopcoil/points/chain_settings.hpp>

namespace hopcoil {

/// Many chains with the same settings, each with its own root, in float: the tails of a crowd.
///
///     ChainBank tails{{.nodes = 30}, crowd.size()};
///     for (std::size_t i = 0; i < crowd.size(); ++i) tails.set_next_root(i, crowd[i].hip);
///     tails.step(dt);
///     draw(tails.position(7, 30));  // the tip of the eighth
///
/// Model   that of Chain (chain.hpp), with a stream and a rest direction for each chain. They bend
///         freely and do not undulate.
/// Shapes  arrays with one number for each chain.
/// Units   metres, seconds.
/// Source  docs/math/chain.md. Places are kept relative to the root, so precision does not
///         depend on the distance from the origin.
/// Errors  InvalidValue for invalid settings, a bend limit or an undulation. While stepping:
///         a chain whose root, stream or rest direction is not finite (or beyond 1e9 m) goes on
///         with its old root and no stream, and is counted; what would overflow is put to rest.
/// Cost    some 7 to 16 ns a node (stretchy), 10 to 20 a substep (fixed); docs/performance.md.
class ChainBank {
  public:
    ChainBank(const ChainSettings& settings, std::size_t chains);

    [[nodiscard]] std::size_t size() const noexcept { return chains_; }
    [[nodiscard]] const ChainSettings& settings() const noexcept { return settings_; }
    /// Other tunings, spacing of links and numbers of the same kind; the motion goes on.
    /// Errors  InvalidValue, with nothing changed; for another number of nodes too.
    void retune(const ChainSettings& settings);

    // Inputs of the next step: written by the caller, kept until written again.
    [[nodiscard]] std::span<float> next_roots(std::size_t axis) noexcept {
        return {next_root_.at(axis).data(), chains_};
    }
    void set_next_root(std::size_t chain, const Vector3& root);
    /// The stream at each chain: wind, current, or the direction it hangs along; metres per second.
    [[nodiscard]] std::span<float> streams(std::size_t axis) noexcept {
        return {stream_.at(axis).data(), chains_};
    }
    /// Of unit length; at first those of the settings.
    [[nodiscard]] std::span<float> rest_directions(std::size_t axis) noexcept {
        return {rest_.at(axis).data(), chains_};
    }

    StepStatus step(double dt) noexcept;
    /// At rest in its rest shape. Errors: std::out_of_range.
    void reset(std::size_t chain, const Vector3& root);
    /// Moves a root at once and the whole chain with it. Errors: std::out_of_range.
    void cut(std::size_t chain, const Vector3& root);

    /// From its root to a node, of every chain; as many as there is room for.
    /// Errors  std::out_of_range for a node that is not from 1 to `settings().nodes`.
    void read_offsets(std::size_t node, std::size_t axis, std::span<float> numbers) const;
    void read_velocities(std::size_t node, std::size_t axis, std::span<float> numbers) const;
    /// Node 0 is the root. Errors: std::out_of_range.
    [[nodiscard]] Vector3 position(std::size_t chain, std::size_t node) const;
    [[nodiscard]] Vector3 velocity(std::size_t chain, std::size_t node) const;

    [[nodiscard]] std::uint64_t rejected_inputs() const noexcept { return rejected_inputs_; }
    [[nodiscard]] InstructionSet instruction_set() const noexcept { return set_; }
    /// Chooses the instructions, for comparisons: the bits are the same with each.
    void use(InstructionSet set) noexcept { set_ = set; }

    /// For save_state and load_state (base/state.hpp).
    template <class Fields>
    void visit_state(Fields& fields) {
        fields.begins("chain bank 1");
        fields.count(chains_);
        fields.count(settings_.nodes);
        for (std::vector<float>* all : {&links_, &outputs_}) {
            for (float& number : *all)
                fields(number);
        }
        for (auto* axes : {&root_, &next_root_, &root_velocity_, &root_slope_, &stream_, &rest_,
                           &rest_before_}) {
            for (std::vector<float>& axis : *axes) {
                for (float& number : axis)
                    fields(number);
            }
        }
        fields(last_dt_, rejected_inputs_);
        fields.require(last_dt_ >= 0);
    }

  private:
    using Axes = std::array<std::vector<float>, 3>;
    struct Frame;

    [[nodiscard]] std::size_t substeps(double dt) const noexcept;
    void take_inputs(double dt) noexcept;
    void find_rows(double h) noexcept;
    void put_at_rest(std::size_t chain) noexcept;
    [[nodiscard]] std::size_t place_of(std::size_t chain, std::size_t node, std::size_t number,
                                       std::size_t numbers) const noexcept;
    [[nodiscard]] float offset(std::size_t chain, std::size_t node, std::size_t axis) const;
    [[nodiscard]] float speed(std::size_t chain, std::size_t node, std::size_t axis) const;

    ChainSettings settings_;
    std::size_t chains_ = 0;
    std::vector<float> links_;    ///< in blocks of chains side by side
    std::vector<float> outputs_;  ///< of fixed spacing: places and velocities of its nodes
    Axes root_, next_root_, root_velocity_, root_slope_, stream_, rest_, rest_before_;
    Axes way_, end_velocity_, blown_rest_, rest_rate_;  ///< of the step under way
    std::vector<float> sound_;                          ///< of each chain 0; NaN when it overflowed
    std::vector<std::array<float, 10>> rows_;           ///< of each node
    double rows_h_ = -1;
    double last_dt_ = 0;
    std::uint64_t rejected_inputs_ = 0;
    InstructionSet set_;
};

}  // namespace hopcoil
