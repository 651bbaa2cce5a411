// Chains against the textbook loop over an array of structs: each node a spring and a damper after
// a spot a spacing behind the node before it. Each row is measured in pairs with the textbook.
// Beside it stands how far each one's motion is from its own in fine steps.

#include <array>
#include <cmath>
#include <cstddef>
#include <cstdio>
#include <functional>
#include <string>
#include <utility>
#include <vector>

#include <hopcoil/points/chain.hpp>
#include <hopcoil/points/chain_bank.hpp>

#include "timing.hpp"

namespace {

using hopcoil::Chain;
using hopcoil::ChainBank;
using hopcoil::ChainSettings;
using hopcoil::ChainSpacing;
using hopcoil::Vector3;

constexpr double dt = 1.0 / 60;
constexpr std::size_t chains = 1000;
constexpr std::size_t nodes = 30;
constexpr double spacing_m = 0.1;
constexpr int pairs = 25;

/// What a practitioner writes first, by semi-implicit Euler.
struct TextbookChain {
    struct Node {
        Vector3 position{};
        Vector3 velocity{};
    };
    std::vector<Node> nodes_{nodes};
    bool keeps_spacing = false;

    void step(const Vector3& root, double h = dt) {
        constexpr double stiffness = 900;
        constexpr double damping = 60;
        Vector3 before = root;
        Vector3 direction{0, -1, 0};
        for (Node& node : nodes_) {
            const Vector3 target = before + direction * spacing_m;
            const Vector3 pull = (target - node.position) * stiffness - node.velocity * damping;
            node.velocity = node.velocity + pull * h;
            node.position = node.position + node.velocity * h;
            const Vector3 link = node.position - before;
            const double length_m = std::sqrt(dot(link, link));
            direction = length_m > 0 ? link * (1 / length_m) : direction;
            if (keeps_spacing) node.position = before + direction * spacing_m;
            before = node.position;
        }
    }
};

/// On a circle of 1 m, at 3 m/s.
Vector3 root_at(double time_s) {
    return {std::sin(3 * time_s), 0, std::cos(3 * time_s)};
}

/// Where a root is, from step to step; each contestant has its own.
class Circle {
  public:
    Vector3 next() { return root_at(dt * ++frame_); }

  private:
    int frame_ = 0;
};

/// Where all nodes are at the end of each frame of four seconds, but for the first.
template <class Step, class Show>
std::vector<Vector3> motion(int steps_a_frame, const Step& step, const Show& show) {
    std::vector<Vector3> all;
    for (int frame = 0; frame < 240; ++frame) {
        for (int i = 1; i <= steps_a_frame; ++i) {
            const double part = static_cast<double>(i) / steps_a_frame;
            step(root_at((frame + part) * dt), dt / steps_a_frame);
        }
        if (frame < 60) continue;
        for (std::size_t node = 0; node < nodes; ++node)
            all.push_back(show(node));
    }
    return all;
}
std::vector<Vector3> textbook_motion(bool keeps_spacing, int steps_a_frame) {
    TextbookChain chain;
    chain.keeps_spacing = keeps_spacing;
    return motion(
        steps_a_frame, [&](const Vector3& root, double h) { chain.step(root, h); },
        [&](std::size_t node) { return chain.nodes_[node].position; });
}
std::vector<Vector3> our_motion(const ChainSettings& settings, int steps_a_frame) {
    Chain chain{settings, root_at(0)};
    return motion(
        steps_a_frame, [&](const Vector3& root, double h) { chain.step({.root = root}, h); },
        [&](std::size_t node) { return chain.positions()[node]; });
}

/// Root mean square, in percent of the length.
double apart_percent(const std::vector<Vector3>& a, const std::vector<Vector3>& b) {
    double sum = 0;
    for (std::size_t i = 0; i < a.size(); ++i)
        sum += dot(a[i] - b[i], a[i] - b[i]);
    return 100 * std::sqrt(sum / static_cast<double>(a.size())) / (spacing_m * nodes);
}

/// How many steps a frame the textbook takes until it is within 1 % of its motion in fine steps;
/// doubled from 1.
int textbook_steps(bool keeps_spacing, const std::string& name) {
    const std::vector<Vector3> fine = textbook_motion(keeps_spacing, 1024);
    const auto error = [&](int steps) {
        return apart_percent(textbook_motion(keeps_spacing, steps), fine);
    };
    int steps = 1;
    while (steps < 512 && error(steps) > 1)
        steps *= 2;
    std::printf("%-8s  textbook %.2f %% off in one step a frame, %.2f %% in %d\n", name.c_str(),
                error(1), error(steps), steps);
    return steps;
}

void compare(ChainSpacing spacing, const std::string& name) {
    const ChainSettings settings{.nodes = nodes, .spacing_m = spacing_m, .spacing = spacing};
    TextbookChain first;
    first.keeps_spacing = spacing == ChainSpacing::fixed;
    const int steps = textbook_steps(first.keeps_spacing, name);
    std::printf("%-8s  ours %.4f %% off\n", name.c_str(),
                apart_percent(our_motion(settings, 1), our_motion(settings, 64)));
    std::vector<TextbookChain> textbook(chains, first);
    std::vector<Chain> ours(chains, Chain{settings});
    Circle textbook_root;
    const auto step_textbook = [&] {
        const Vector3 root = textbook_root.next();
        for (TextbookChain& chain : textbook)
            chain.step(root);
    };
    Circle chain_root;
    const auto step_ours = [&] {
        const Vector3 root = chain_root.next();
        for (Chain& chain : ours)
            chain.step({.root = root}, dt);
    };
    ChainBank bank{settings, chains};
    Circle bank_root;
    const auto step_bank = [&] {
        const Vector3 root = bank_root.next();
        for (std::size_t axis = 0; axis < 3; ++axis) {
            for (float& next : bank.next_roots(axis))
                next = static_cast<float>(std::array{root.x, root.y, root.z}[axis]);
        }
        bank.step(dt);
    };
    const double to_ns = 1e9 / (chains * nodes);
    const auto print_row = [&](const std::string& what, const std::function<void()>& work) {
        std::vector<double> theirs_s;
        std::vector<double> ours_s;
        std::vector<double> ratios;
        for (int pair = 0; pair < pairs; ++pair) {
            theirs_s.push_back(hopcoil::bench::seconds_of(step_textbook, 10));
            ours_s.push_back(hopcoil::bench::seconds_of(work, 10));
            ratios.push_back(theirs_s.back() / ours_s.back());
        }
        const double ratio = hopcoil::bench::median(ratios);
        std::printf(
            "%-8s  textbook %6.2f ns a node   %-12s %6.2f ns   %5.2f times the textbook, "
            "%5.1f times as it takes %d steps\n",
            name.c_str(), to_ns * hopcoil::bench::median(theirs_s), what.c_str(),
            to_ns * hopcoil::bench::median(ours_s), ratio, steps * ratio, steps);
    };
    print_row("Chain", step_ours);
    for (const auto& [set, words] : {std::pair{hopcoil::InstructionSet::plain, "bank, plain"},
                                     {hopcoil::InstructionSet::avx2, "bank, AVX2"},
                                     {hopcoil::InstructionSet::avx512, "bank, AVX512"}}) {
        if (!hopcoil::is_available(set)) continue;
        bank.use(set);
        print_row(words, step_bank);
    }
}

}  // namespace

int main() {
    compare(ChainSpacing::stretchy, "stretchy");
    compare(ChainSpacing::fixed, "fixed");
}
