#pragma once

/// How often the program has asked for memory so far; the tests look at differences.
[[nodiscard]] long allocations() noexcept;
