#pragma once

/// @file
/// How a loop over plain arrays is compiled once for each instruction set. The bits are the same
/// with each, as contraction is off. HOPCOIL_PLAIN_LOOPS compiles it once only, where the build is
/// to be quick.

#if defined(__x86_64__)
#define HOPCOIL_FOR_AVX2 __attribute__((target("avx2")))
#if defined(__clang__)
#define HOPCOIL_FOR_AVX512 __attribute__((target("avx512f,avx512dq,avx512bw,avx512vl")))
#else
#define HOPCOIL_FOR_AVX512 \
    __attribute__((target("avx512f,avx512dq,avx512bw,avx512vl,prefer-vector-width=512")))
#endif
#endif
#define HOPCOIL_INTO_EACH inline __attribute__((always_inline))
#define HOPCOIL_PRAGMA(WORDS) _Pragma(#WORDS)
#if defined(__clang__)
// Compiled to be debugged, loops are not made into vectors.
#pragma clang diagnostic ignored "-Wpass-failed"
#define HOPCOIL_UNROLLED(TIMES) HOPCOIL_PRAGMA(clang loop unroll_count(TIMES))
#define HOPCOIL_SIDE_BY_SIDE HOPCOIL_PRAGMA(clang loop vectorize(assume_safety))
#else
#define HOPCOIL_UNROLLED(TIMES) HOPCOIL_PRAGMA(GCC unroll TIMES)
#define HOPCOIL_SIDE_BY_SIDE HOPCOIL_PRAGMA(GCC ivdep)
#endif

/// void NAME(InstructionSet, const PASS&), which runs LOOP(pass) as compiled for a set.
#if defined(__x86_64__) && !defined(HOPCOIL_PLAIN_LOOPS)
#define HOPCOIL_FOR_EACH_SET(NAME, LOOP, PASS)                 \
    namespace {                                                \
    void NAME##_plain(const PASS& pass) {                      \
        LOOP(pass);                                            \
    }                                                          \
    HOPCOIL_FOR_AVX2 void NAME##_avx2(const PASS& pass) {      \
        LOOP(pass);                                            \
    }                                                          \
    HOPCOIL_FOR_AVX512 void NAME##_avx512(const PASS& pass) {  \
        LOOP(pass);                                            \
    }                                                          \
    }                                                          \
    void NAME(InstructionSet set, const PASS& pass) noexcept { \
        if (set == InstructionSet::avx512) {                   \
            NAME##_avx512(pass);                               \
        } else if (set == InstructionSet::avx2) {              \
            NAME##_avx2(pass);                                 \
        } else {                                               \
            NAME##_plain(pass);                                \
        }                                                      \
    }
#else
#define HOPCOIL_FOR_EACH_SET(NAME, LOOP, PASS)             \
    void NAME(InstructionSet, const PASS& pass) noexcept { \
        LOOP(pass);                                        \
    }
#endif
