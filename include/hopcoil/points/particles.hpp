#pragma once

#include <cstddef>
#include <cstdint>
#include <limits>
#include <span>
#include <vector>

#include <hopcoil/base/channel.hpp>
#include <hopcoil/base/dial.hpp>
#include <hopcoil/base/float_vector3.hpp>
#include <hopcoil/base/instruction_set.hpp>
#include <hopcoil/base/quaternion.hpp>
#include <hopcoil/base/system.hpp>
#include <hopcoil/base/vector3.hpp>
#include <hopcoil/field/contact_shape.hpp>
#include <hopcoil/field/ground.hpp>
#include <hopcoil/field/wind.hpp>
#include <hopcoil/points/detail/cells.hpp>
#include <hopcoil/points/detail/line_allocator.hpp>
#include <hopcoil/points/particle_settings.hpp>

namespace hopcoil {

/// The inputs of a step; references need to live no longer than it.
struct ParticleInputs {
    Vector3 emitter{};  ///< where it is at the end of the step; it goes there in a straight line
    Quaternion facing{};
    bool is_on = true;                       ///< that particles are born
    std::span<const ContactShape> shapes{};  ///< at the end of the step
    const Ground* ground = nullptr;
    const Wind* wind = nullptr;
};

struct FloatFlight;
struct ParticleBlock;

/// Something that happened to a particle.
struct ParticleEvent {
    enum class Type : std::uint8_t { born, hit, at_rest, died };
    Type type = Type::born;
    std::uint32_t slot = 0;
    double time_s = 0.0;
    Vector3 place{};
    Vector3 velocity{};  ///< before a hit
};

/// Points that are born, fly, touch things and die: sparks, spray, smoke, rain.
///
///     Particles sparks{particle_recipe("embers"), stream_of(seed, "lamp")};
///     sparks.step({.emitter = wick, .wind = &evening}, dt);
///     for (std::size_t i = 0; i < sparks.capacity(); ++i)
///         if (sparks.alive()[i]) draw(sparks.position(i), sparks.radius(i));
///
/// Model   v' = g - drag (v - wind), solved exactly over steps of 1/120 s of its own, so that
///         births and paths are the same at every frame rate; between them paths are extrapolated.
///         Contact stops each at the first surface on its way, however fast.
/// Shapes  one slot for each of `capacity` particles; the slot that is free longest is used next.
///         Places are floats from an origin near the emitter: 4e-6 m near 60 m from it.
/// Units   metres, seconds, radians.
/// Source  docs/particles.md.
/// Errors  InvalidValue for invalid settings; while stepping none: invalid input is rejected
///         and counted.
/// Cost    some 1 ns a particle and 1/120 s above its ground, 60 where it touches it, besides wind.
///         Only making allocates.
class Particles {
  public:
    using Inputs = ParticleInputs;

    explicit Particles(const ParticleSettings& settings, std::uint64_t stream = 0,
                       const Vector3& emitter = {}, const Quaternion& facing = {});

    /// Steps by dt, an hour at most.
    StepStatus step(const ParticleInputs& inputs, double dt) noexcept;
    /// Emits so many at once at a place, each with this velocity besides its own. Where none is
    /// alive the origin goes there; otherwise a place far from it is a coarse one: to a
    /// millimetre at 10 km.
    StepStatus burst(std::size_t count, const Vector3& place,
                     const Vector3& velocity = {}) noexcept;

    [[nodiscard]] const ParticleSettings& settings() const noexcept { return settings_; }
    /// Chooses the instructions of its loops; the bits are the same with each.
    /// Errors  InvalidValue for one that this processor does not have.
    void use(InstructionSet set);
    /// New numbers for the same capacity. Errors: InvalidValue, with nothing changed.
    void retune(const ParticleSettings& settings);
    bool try_retune(const ParticleSettings& settings) noexcept;

    [[nodiscard]] std::size_t capacity() const noexcept { return settings_.capacity; }
    [[nodiscard]] std::size_t alive_count() const noexcept { return alive_count_; }
    /// 1 for a slot that holds a particle.
    [[nodiscard]] std::span<const std::uint8_t> alive() const noexcept { return alive_; }
    [[nodiscard]] Vector3 position(std::size_t slot) const noexcept {
        return origin_ + vector3_from(offsets()[slot]);
    }
    [[nodiscard]] Vector3 velocity(std::size_t slot) const noexcept {
        return vector3_from(velocities_[slot]);
    }
    /// All positions, for a buffer that is drawn from: from the origin.
    [[nodiscard]] std::span<const FloatVector3> offsets() const noexcept {
        return is_between_steps_ ? shown_ : offsets_;
    }
    /// Where the emitter was at first. It goes to the emitter that is 64 m away.
    [[nodiscard]] const Vector3& origin() const noexcept { return origin_; }
    /// The part of its life that is over, 0 to 1.
    [[nodiscard]] double age(std::size_t slot) const noexcept;
    [[nodiscard]] double radius(std::size_t slot) const noexcept;
    [[nodiscard]] Vector3 colour(std::size_t slot) const noexcept;
    /// How far one that spins has turned, from a random start.
    [[nodiscard]] double turned_rad(std::size_t slot) const noexcept;
    /// What happened in the last step, in order of time within each 1/120 s; as many as there is
    /// room for.
    [[nodiscard]] std::span<const ParticleEvent> events() const noexcept {
        return std::span{events_}.first(event_count_);
    }
    [[nodiscard]] std::uint64_t born() const noexcept { return born_; }
    /// Births left out because all slots were taken.
    [[nodiscard]] std::uint64_t missed_births() const noexcept { return missed_; }
    [[nodiscard]] bool still() const noexcept;
    [[nodiscard]] std::uint64_t rejected_inputs() const noexcept { return rejected_inputs_; }

    // What makes it a System.
    [[nodiscard]] std::span<const Channel> channels() const noexcept { return channels_; }
    void read(std::span<double> numbers) const noexcept;
    [[nodiscard]] static std::span<const Dial<Particles>> dials() noexcept;

    /// For save_state and load_state (base/state.hpp).
    template <class Fields>
    void visit_state(Fields& fields) {
        fields.begins("particles 2");
        fields.count(settings_.capacity);
        fields(time_s_, next_birth_s_, born_, missed_, rejected_inputs_, origin_, emitter_,
               emitter_before_, facing_, oldest_free_, free_count_, steps_);
        for (std::size_t i = 0; i < settings_.capacity; ++i) {
            fields(alive_[i], resting_[i], offsets_[i], velocities_[i], born_s_[i], dies_s_[i],
                   spins_[i], free_[i]);
            fields.require(alive_[i] <= 1 && resting_[i] <= 1);
            fields.require(free_[i] < settings_.capacity && dies_s_[i] >= born_s_[i]);
        }
        fields.require(free_count_ <= settings_.capacity && oldest_free_ < settings_.capacity);
        count_alive();
        look_anew();
        find_outputs();
    }

  private:
    struct Flight;
    /// Not equal to any height, itself included.
    static constexpr double nowhere = std::numeric_limits<double>::quiet_NaN();

    StepStatus reject() noexcept;
    void allocate();
    void step_to_next(const ParticleInputs& inputs, double from_s, double to_s) noexcept;
    void fly_ahead(const ParticleInputs& inputs, std::uint64_t steps) noexcept;
    void wake_unsupported(const ParticleInputs& inputs) noexcept;
    void wake_swept(std::span<const ContactShape> shapes, const Flight& flight) noexcept;
    [[nodiscard]] ParticleBlock block_at(std::size_t first) noexcept;
    void fly_block(std::size_t first, const Flight& flight) noexcept;
    bool fly_few(const ParticleBlock& block, std::size_t first, const Flight& flight) noexcept;
    void fly(std::size_t slot, const Flight& flight, const FloatVector3& wind,
             double time_s) noexcept;
    bool bounce_off_floor(std::size_t slot, const Flight& flight, const FloatFlight& free,
                          const FloatVector3& wind) noexcept;
    void move_origin(const Vector3& to) noexcept;
    [[nodiscard]] Vector3 place_of(std::size_t slot) const noexcept {
        return origin_ + vector3_from(offsets_[slot]);
    }
    void give_birth(const Flight& flight) noexcept;
    [[nodiscard]] std::uint32_t add(const Vector3& place, const Vector3& velocity,
                                    double time_s) noexcept;
    void bear(const Vector3& place, const Quaternion& facing, const Vector3& velocity,
              double time_s, const Flight* flight) noexcept;
    void end(std::size_t slot, double time_s) noexcept;
    void note(ParticleEvent::Type type, std::size_t slot, double time_s,
              const Vector3& velocity) noexcept;
    void separate() noexcept;
    void find_outputs() noexcept;
    void count_alive() noexcept;
    void look_anew() noexcept;

    ParticleSettings settings_;
    std::uint64_t stream_;
    Vector3 emitter_{};
    Vector3 emitter_before_{};  ///< at the last of its own steps
    Quaternion facing_{};
    Vector3 origin_{};
    double time_s_ = 0;
    double next_birth_s_ = 0;
    std::uint64_t steps_ = 0;  ///< of 1/120 s
    std::uint64_t born_ = 0;
    std::uint64_t missed_ = 0;
    std::uint64_t rejected_inputs_ = 0;
    std::size_t alive_count_ = 0;
    std::vector<std::uint8_t> alive_;
    std::vector<std::uint8_t> resting_;
    using Floats = std::vector<FloatVector3, LineAllocator<FloatVector3>>;
    Floats offsets_;  ///< at the last of its own steps
    Floats velocities_;
    Floats shown_;  ///< now, if that is between two steps
    bool is_between_steps_ = false;
    std::vector<std::uint8_t> done_;        ///< of this frame, each slot
    std::vector<std::uint8_t> block_done_;  ///< the same, of all that are stepped together
    /// Until then nothing can happen to these, above `looked_above_`.
    std::vector<double> free_until_s_;
    std::vector<double> still_until_s_;  ///< until then none of these moves or dies
    double rested_floor_m_ = nowhere;    ///< the level floor that carries all that rest
    float looked_above_ = 0;
    std::vector<double> born_s_;
    std::vector<double> dies_s_;
    std::vector<double> spins_;
    std::vector<std::uint32_t> free_;  ///< a ring of free slots, the longest free first
    std::size_t oldest_free_ = 0;
    std::size_t free_count_ = 0;
    std::vector<ParticleEvent> events_;
    std::size_t event_count_ = 0;
    Cells cells_;
    InstructionSet set_ = best_instruction_set();
    std::vector<Channel> channels_;
};

}  // namespace hopcoil
