#pragma once

#include <stdexcept>

namespace hopcoil::tool {

/// A run was ended by SIGINT or SIGTERM.
class Interrupted : public std::runtime_error {
  public:
    using std::runtime_error::runtime_error;
};

/// From now on the first SIGINT or SIGTERM is noted, so that files can be finished; a second one
/// ends the program at once.
void note_interrupts();
[[nodiscard]] bool is_interrupted() noexcept;

}  // namespace hopcoil::tool
