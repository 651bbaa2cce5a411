#pragma once

#include <cstddef>
#include <memory>
#include <string>
#include <utility>
#include <vector>

#include <hopcoil/scene/system.hpp>
#include <hopcoil/scene/view.hpp>

/// @file
/// Base classes for a program's own kinds.

namespace hopcoil::scene {

/// The spec of a system whose numbers are a plain struct with dials.
///
///     struct BuoySpec : SpecOf<BuoySpec, Float> { kind, outputs, start_running };
///
/// Shapes  Derived is copyable; Parameters has `dials()`.
template <class Derived, class Parameters>
class SpecOf : public SystemSpec {
  public:
    SpecOf() = default;
    explicit SpecOf(Parameters numbers) : parameters{std::move(numbers)} {}

    [[nodiscard]] std::unique_ptr<SystemSpec> clone() const override {
        return std::make_unique<Derived>(static_cast<const Derived&>(*this));
    }
    [[nodiscard]] std::vector<SpecDial> dials() const override {
        std::vector<SpecDial> all;
        append_dials<Parameters>(all, "", "");
        return all;
    }
    [[nodiscard]] double dial(std::size_t index) const override {
        return Parameters::dials()[index].get(parameters);
    }
    DialStatus set_dial(std::size_t index, double value) override {
        return Parameters::dials()[index].set(parameters, value);
    }

    Parameters parameters{};
};

/// A running system that lists its state in `visit_state`, and looks its numbers up as it goes.
///
/// Shapes  Spec has `parameters`.
template <class Derived, class Spec>
class RunningOf : public RunningSystem {
  public:
    explicit RunningOf(const Spec& spec) : parameters{spec.parameters} {}

    void save(StateWriter& out) override { static_cast<Derived&>(*this).visit_state(out); }
    void load(StateReader& in) override { static_cast<Derived&>(*this).visit_state(in); }
    bool retune(const SystemSpec& spec) override {
        parameters = dynamic_cast<const Spec&>(spec).parameters;
        return true;
    }

    decltype(Spec::parameters) parameters;
};

}  // namespace hopcoil::scene
