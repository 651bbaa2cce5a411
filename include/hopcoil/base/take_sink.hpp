#pragma once

#include <cstddef>
#include <span>
#include <string>

#include <hopcoil/base/channel.hpp>

namespace hopcoil {

/// A channel as recorded; its name begins with that of its system, as in "vane.value_rad".
///
/// Shapes  `count` values of `components` numbers each, one after the other: the positions of 30
///         nodes are one channel of count 30. The count is a capacity where `alive` names a channel
///         of as many flags, which say which of the values exist.
struct RecordedChannel {
    std::string name{};
    ChannelKind kind = ChannelKind::scalar;
    std::size_t components = 1;
    std::string unit{};
    std::size_t count = 1;
    std::string alive{};
};

/// Where a running scene sends what it records: first the channels, then rows in order of time.
///
/// Shapes  a row has one number for every component of every value of every channel, in their
///         order.
class TakeSink {
  public:
    virtual ~TakeSink() = default;
    virtual void begin(std::span<const RecordedChannel> channels) = 0;
    virtual void row(double time_s, std::span<const double> numbers) = 0;
    /// Called between the two: about how many rows will follow.
    virtual void expect(std::size_t rows) { static_cast<void>(rows); }

  protected:
    TakeSink() = default;
    TakeSink(const TakeSink&) = default;
    TakeSink(TakeSink&&) = default;
    TakeSink& operator=(const TakeSink&) = default;
    TakeSink& operator=(TakeSink&&) = default;
};

}  // namespace hopcoil
