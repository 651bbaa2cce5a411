#pragma once

#include <memory>
#include <string>
#include <vector>

#include <hopcoil/scene/keys.hpp>
#include <hopcoil/scene/system.hpp>
#include <hopcoil/scene/system_report.hpp>

#include "net_parts.hpp"

namespace hopcoil::scene {

/// The signals of a net, in order.
namespace net_signal {
inline constexpr std::size_t stretch = 0;
inline constexpr std::size_t energy = 1;
inline constexpr std::size_t contacts = 2;
inline constexpr std::size_t depth = 3;
inline constexpr std::size_t lowest = 4;
}  // namespace net_signal

/// The keys of [net.NAME] and of the tables inside it.
[[nodiscard]] std::vector<TableFacts> net_tables();

/// Of the method `forces`: "stable below 3.2 ms".
[[nodiscard]] std::string stable_step_in_words(const NetPlan& plan);

class NetSpec final : public SystemSpec {
  public:
    /// Refuses what cannot be.
    explicit NetSpec(NetParts parts);

    [[nodiscard]] const NetParts& parts() const { return parts_; }
    [[nodiscard]] std::unique_ptr<SystemSpec> clone() const override {
        return std::make_unique<NetSpec>(*this);
    }
    [[nodiscard]] std::string kind() const override { return "net"; }
    [[nodiscard]] std::string in_words(std::size_t port) const override;
    [[nodiscard]] std::vector<Port> outputs() const override;
    [[nodiscard]] std::vector<RecordedChannel> signals() const override;
    [[nodiscard]] bool is_measured(const std::string& channel) const override;
    [[nodiscard]] std::vector<View> views() const override;
    [[nodiscard]] std::vector<SpecDial> dials() const override;
    [[nodiscard]] double dial(std::size_t index) const override;
    DialStatus set_dial(std::size_t index, double value) override;
    [[nodiscard]] std::unique_ptr<RunningSystem> start_running(
        const SystemInputs& inputs) const override;
    [[nodiscard]] double highest_hz() const override { return 8; }
    [[nodiscard]] std::vector<StepLimit> step_limits() const override;
    [[nodiscard]] std::vector<SystemReport> report(const ReportInput& input) const override;

  private:
    NetParts parts_;
    NetStructure structure_;  ///< as built
    NetPlan plan_;
};

}  // namespace hopcoil::scene
