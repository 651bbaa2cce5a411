# What every target of ours is compiled with.

# The arithmetic written is the arithmetic done: no fused multiply-adds.
set(hopcoil_arithmetic_options -ffp-contract=off)

# For what does little work: files, pictures, tests. Compiling it for speed takes longer than it could
# save.
set(hopcoil_light_options $<$<NOT:$<CONFIG:Debug>>:-O1>)

function(hopcoil_own_code target)
  target_compile_features(${target} PUBLIC cxx_std_20)
  target_compile_options(${target} PRIVATE -Wall -Wextra -Wpedantic -Wconversion -Wshadow)
  if(HOPCOIL_WARNINGS_AS_ERRORS)
    target_compile_options(${target} PRIVATE -Werror)
  endif()
  set_target_properties(${target} PROPERTIES CXX_EXTENSIONS OFF)
endfunction()

# Whoever works at a file builds it alone, and from scratch many at once: what they all include is
# then read, and what they all make of its templates compiled, once.
function(hopcoil_merged_sources target)
  set_target_properties(${target} PROPERTIES UNITY_BUILD ${HOPCOIL_MERGED_SOURCES}
                                             UNITY_BUILD_BATCH_SIZE 24)
endfunction()

# I/O code: files, pages, people.
function(hopcoil_io_code target)
  hopcoil_merged_sources(${target})
  target_compile_options(${target} PRIVATE ${hopcoil_light_options})
  target_precompile_headers(${target} PRIVATE <fmt/format.h> <nlohmann/json.hpp> <optional> <string>
                            <vector>)
endfunction()

# A library of ours: its arithmetic is fixed, and its copies of the templates are its own.
function(hopcoil_library_code target)
  hopcoil_own_code(${target})
  target_compile_options(${target} PRIVATE ${hopcoil_arithmetic_options})
  target_compile_definitions(${target} PRIVATE HOPCOIL_LIBRARY)
endfunction()
