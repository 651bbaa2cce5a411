#pragma once

#include <concepts>
#include <cstddef>
#include <cstdint>
#include <span>
#include <string_view>
#include <type_traits>
#include <vector>

#include <hopcoil/base/build.hpp>
#include <hopcoil/base/components.hpp>

/// @file
/// The state of a system as bytes, to be kept in a save game, sent over a wire, or handed back
/// later.
///
///     const std::vector<std::byte> kept = save_state(lamp);
///     load_state(lamp, kept);  // goes on bit for bit from there
///
/// A system lists its state once, for both ways:
///
///     template <class Fields>
///     void visit_state(Fields& fields) { fields.begins("lamp 1"); fields(height_, speed_); }

namespace hopcoil {

/// A sum over names and kinds of fields: what must be the same when they are written and read.
class StateShape {
  public:
    void mix(std::string_view name) noexcept;
    void mix(std::uint8_t kind) noexcept;
    [[nodiscard]] std::uint32_t sum() const noexcept { return sum_; }

  private:
    std::uint32_t sum_ = 2166136261U;
};

/// Bytes in little-endian order, after a header that identifies the system and its layout.
class StateBytes {
  public:
    void append(std::uint64_t bits, int count);
    /// Header and bytes together.
    [[nodiscard]] std::vector<std::byte> finished(const StateShape& shape) const;

  private:
    std::vector<std::byte> bytes_;
};

/// What `visit_state` calls, to write or to read.
///
/// Shapes  numbers, booleans, whole numbers, values with components, anything with a
///         `visit_state` of its own, and optional ones and ranges of them. A range's length is not
///         written: it is the system's own.
template <class Way>
class StateFields {
  public:
    /// The system's name and the version of its layout; a blob with another one is refused.
    void begins(std::string_view name) { shape_.mix(name); }

    template <class... Fields>
    void operator()(Fields&... fields) {
        (visit(fields), ...);
    }
    /// A number that need not be finite.
    template <std::floating_point S>
    void unbounded(S& number) {
        way().number(number, false);
    }
    /// A whole number or an enumeration, at most `most`.
    template <class Whole>
    void up_to(const Whole& most, Whole& whole) {
        auto bits = static_cast<std::uint64_t>(whole);
        way().bits(bits, sizeof(Whole));
        require(bits <= static_cast<std::uint64_t>(most));
        if (way().is_good()) whole = static_cast<Whole>(bits);
    }
    /// A count that the system and the blob must agree on.
    void count(std::size_t own) {
        std::size_t read = own;
        visit(read);
        require(read == own);
    }
    /// A condition that the fields read so far must meet; otherwise the blob is refused.
    void require(bool holds) { way().check(holds); }

  protected:
    StateShape shape_;

  private:
    [[nodiscard]] Way& way() { return static_cast<Way&>(*this); }

    template <class Field>
    void visit(Field& field) {
        if constexpr (std::is_same_v<Field, bool>) {
            up_to(true, field);
        } else if constexpr (std::floating_point<Field>) {
            way().number(field, true);
        } else if constexpr (std::unsigned_integral<Field>) {
            up_to(static_cast<Field>(-1), field);
        } else if constexpr (requires { field.visit_state(way()); }) {
            field.visit_state(way());
        } else if constexpr (requires { field.emplace(); }) {
            bool is_there = field.has_value();
            visit(is_there);
            if (!is_there) field.reset();
            if (is_there && !field) field.emplace();
            if (field) visit(*field);
        } else if constexpr (HasComponents<Field>) {
            auto numbers = components_of(field);
            for (auto& number : numbers)
                way().number(number, true);
            field = with_components(field, numbers);
        } else {
            for (auto& each : field)
                visit(each);
        }
    }
};

class StateWriter : public StateFields<StateWriter> {
  public:
    [[nodiscard]] std::vector<std::byte> finished() const { return bytes_.finished(shape_); }

    template <std::floating_point S>
    void number(const S& number, bool /*finite*/) {
        using Bits = std::conditional_t<sizeof(S) == 4, std::uint32_t, std::uint64_t>;
        shape_.mix(static_cast<std::uint8_t>(sizeof(S)));
        bytes_.append(std::bit_cast<Bits>(number), sizeof(S));
    }
    void bits(std::uint64_t bits, int count) {
        shape_.mix(static_cast<std::uint8_t>(16 + count));
        bytes_.append(bits, count);
    }
    void check(bool /*holds*/) {}
    [[nodiscard]] static constexpr bool is_good() { return true; }

  private:
    StateBytes bytes_;
};

class StateReader : public StateFields<StateReader> {
  public:
    /// The bytes must outlive the reader.
    explicit StateReader(std::span<const std::byte> blob) noexcept;

    /// Whether all bytes were read, every value was valid, and the layout is that of the writer.
    [[nodiscard]] bool is_whole() const noexcept {
        return good_ && rest_.empty() && shape_.sum() == wanted_sum_;
    }

    template <std::floating_point S>
    void number(S& number, bool finite) {
        using Bits = std::conditional_t<sizeof(S) == 4, std::uint32_t, std::uint64_t>;
        shape_.mix(static_cast<std::uint8_t>(sizeof(S)));
        const S read = std::bit_cast<S>(static_cast<Bits>(take(sizeof(S))));
        check(!finite || is_finite(read));
        if (good_) number = read;
    }
    void bits(std::uint64_t& bits, int count) {
        shape_.mix(static_cast<std::uint8_t>(16 + count));
        bits = take(count);
    }
    void check(bool holds) noexcept { good_ = good_ && holds; }
    [[nodiscard]] bool is_good() const noexcept { return good_; }

  private:
    [[nodiscard]] std::uint64_t take(int count) noexcept;

    std::span<const std::byte> rest_;
    std::uint32_t wanted_sum_ = 0;
    bool good_ = true;
};

/// Lists its state for writing and reading.
template <class S>
concept HasState = std::copyable<S> && requires(S& system, StateWriter& out, StateReader& in) {
    system.visit_state(out);
    system.visit_state(in);
};

/// The state of a system: its motion and memory, not the numbers it was made with.
template <HasState S>
[[nodiscard]] std::vector<std::byte> save_state(const S& system) {
    S copy = system;
    StateWriter out;
    copy.visit_state(out);
    return out.finished();
}

/// Restores a state into a system that was made in the same way. With the same numbers (tuning,
/// bounds) it goes on bit for bit; with others the motion goes on under those. False, with nothing
/// changed, when the bytes are of another system or version, or hold an invalid value.
template <HasState S>
[[nodiscard]] bool load_state(S& system, std::span<const std::byte> blob) {
    S copy = system;
    StateReader in{blob};
    copy.visit_state(in);
    if (!in.is_whole()) return false;
    system = copy;
    return true;
}

}  // namespace hopcoil
