#pragma once

/// @file
/// How these headers are being compiled, and the inline namespace that follows from it.
///
/// Templates are compiled into the program that uses them, with that program's flags, and the
/// linker keeps one copy of each. An inline namespace per kind of build keeps three kinds apart:
/// the library's own, those of programs that link `hopcoil::same_bits`, and all others.

#if defined(__FAST_MATH__) || defined(__ASSOCIATIVE_MATH__) || defined(__RECIPROCAL_MATH__) || \
    (defined(__FINITE_MATH_ONLY__) && __FINITE_MATH_ONLY__)
#error "Hop Coil needs IEEE arithmetic: compile without -ffast-math, -Ofast and their like"
#endif

#if defined(__FLT_EVAL_METHOD__) && __FLT_EVAL_METHOD__ != 0
#error "Hop Coil needs arithmetic in the type written: on 32-bit x86 compile with -mfpmath=sse"
#endif

#if defined(HOPCOIL_LIBRARY)
#define HOPCOIL_BITS library_build
#elif defined(HOPCOIL_SAME_BITS)
#define HOPCOIL_BITS same_bits_build
#else
#define HOPCOIL_BITS host_build
#endif
