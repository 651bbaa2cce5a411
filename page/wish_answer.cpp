#include "page/wish_answer.hpp"

#include <charconv>
#include <cmath>
#include <optional>
#include <variant>
#include <vector>

#include <fmt/format.h>

#include <hopcoil/base/math.hpp>
#include <hopcoil/scene/file_problems.hpp>
#include <hopcoil/scene/scene_dials.hpp>

#include "page/answers.hpp"

namespace hopcoil::page {
namespace {

/// A number, and what stands behind it up to the next number or comma.
struct NumberWithUnit {
    double number = 0;
    std::string unit{};
};

bool begins_number(const std::string& text, std::size_t i) {
    const auto is_digit = [&](std::size_t k) {
        return k < text.size() && text[k] >= '0' && text[k] <= '9';
    };
    const std::size_t sign = text[i] == '-' || text[i] == '+' ? 1 : 0;
    return is_digit(i + sign) ||
           (i + sign < text.size() && text[i + sign] == '.' && is_digit(i + sign + 1));
}

std::vector<NumberWithUnit> numbers_in(const std::string& words) {
    std::vector<NumberWithUnit> all;
    for (std::size_t i = 0; i < words.size();) {
        if (!begins_number(words, i)) {
            ++i;
            continue;
        }
        if (words[i] == '+') ++i;
        NumberWithUnit said;
        const auto read =
            std::from_chars(words.data() + i, words.data() + words.size(), said.number);
        i = static_cast<std::size_t>(read.ptr - words.data());
        while (i < words.size() && words[i] == ' ')
            ++i;
        while (i < words.size() && ((words[i] >= 'a' && words[i] <= 'z') || words[i] == '%'))
            said.unit += words[i++];
        all.push_back(std::move(said));
    }
    return all;
}

[[noreturn]] void refuse_words(const std::string& words) {
    throw RequestProblem{bad_request,
                         fmt::format("wish: expected how far past and how soon, such as '12 % "
                                     "past, 0.4 s', found '{}'",
                                     words)};
}

}  // namespace

Wish wish_from_words(const std::string& words) {
    std::optional<double> percent;
    std::optional<double> seconds;
    for (const NumberWithUnit& said : numbers_in(words)) {
        if (said.unit == "%" || said.unit == "percent") {
            percent = said.number;
        } else if (said.unit == "s" || said.unit == "seconds" || said.unit == "second") {
            seconds = said.number;
        } else if (said.unit == "ms") {
            seconds = said.number / 1000;
        } else {
            refuse_words(words);
        }
    }
    const bool none = words.find("no overshoot") != std::string::npos;
    if (none && !percent) percent = 0;
    if (!percent || !seconds) refuse_words(words);
    return {.overshoot_percent = *percent, .settling_time_s = *seconds};
}

namespace {

/// What the dials of one mover have to be.
class WishSolver {
  public:
    WishSolver(std::string name, const Wish& wish) : name_{std::move(name)}, wish_{wish} {}

    Json operator()(const Tuning& now) const {
        Wish wish = wish_;
        wish.lead = now.lead;
        const Tuning tuning = tuning_from(wish);
        return {{name_ + ".frequency_hz", tuning.frequency_hz},
                {name_ + ".damping_ratio", tuning.damping_ratio},
                {name_ + ".lead", tuning.lead}};
    }
    Json operator()(const scene::SteppedParameters& now) const { return (*this)(now.tuning); }
    Json operator()(const scene::BoundedParameters& now) const { return (*this)(now.tuning); }
    Json operator()(const scene::SizeParameters& now) const { return (*this)(now.tuning); }
    Json operator()(const scene::SettleParameters&) const {
        return {{name_ + ".duration_s", wish_.settling_time_s},
                {name_ + ".overshoot_percent", wish_.overshoot_percent}};
    }
    Json operator()(const GlideTuning&) const {
        require_no_overshoot("a glide");
        // Settled within 2 %: so many halvings.
        return {{name_ + ".half_life_s", wish_.settling_time_s * math::log(2) / math::log(50)}};
    }
    Json operator()(const CurveMoveTuning&) const {
        require_no_overshoot("a move along a curve");
        return {{name_ + ".duration_s", wish_.settling_time_s}};
    }
    template <class Other>
    Json operator()(const Other&) const {
        throw RequestProblem{bad_request,
                             fmt::format("{}: how far past and how soon is nothing that its "
                                         "numbers could be solved from",
                                         name_)};
    }

  private:
    void require_no_overshoot(const std::string& what) const {
        if (wish_.overshoot_percent == 0) return;
        throw RequestProblem{
            bad_request,
            fmt::format("{}: {} has no overshoot of its own; wish for 0 %", name_, what)};
    }

    std::string name_;
    Wish wish_;
};

}  // namespace

Json wish_answer(const scene::Scene& scene, const Request& request) {
    request.finish({"wish", "mover", "values"});
    const scene::Scene changed = with_values(scene, request);
    const Wish wish = wish_from_words(request.text("wish"));
    const std::string wanted = request.text("mover");
    std::vector<std::string> names;
    for (const scene::SceneMover& mover : changed.movers) {
        for (std::size_t part = 0; part < scene::part_count(mover.numbers); ++part) {
            names.push_back(mover.name + scene::part_suffix(mover.numbers, part));
            if (names.back() != wanted) continue;
            const WishSolver solver{wanted, wish};
            const auto* cascade = std::get_if<scene::CascadeParameters>(&mover.numbers);
            return {{"made_by", made_by_live(changed)},
                    {"wish",
                     {{"overshoot_percent", wish.overshoot_percent},
                      {"settling_time_s", wish.settling_time_s}}},
                    {"values", cascade != nullptr ? solver(cascade->tunings.at(part))
                                                  : std::visit(solver, mover.numbers)}};
        }
    }
    throw RequestProblem{bad_request, fmt::format("nothing that moves is named '{}'{}", wanted,
                                                  scene::did_you_mean(wanted, names))};
}

}  // namespace hopcoil::page
