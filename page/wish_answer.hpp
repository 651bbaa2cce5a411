#pragma once

#include <string>

#include <hopcoil/scene/scene.hpp>
#include <hopcoil/spring/wish.hpp>

#include "page/problem.hpp"
#include "page/request.hpp"

namespace hopcoil::page {

/// "12 % past, 0.4 s", "0% 300 ms", "no overshoot, 0.4 s": how far past the target, and how soon it
/// is over.
/// Errors  RequestProblem, with an example.
[[nodiscard]] Wish wish_from_words(const std::string& words);

/// The values of a mover's dials that make a wish come true.
/// Errors  RequestProblem for words that say none, or a mover that cannot; InvalidValue for what
///         is out of reach.
[[nodiscard]] Json wish_answer(const scene::Scene& scene, const Request& request);

}  // namespace hopcoil::page
