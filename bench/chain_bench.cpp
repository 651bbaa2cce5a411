// Chains against the textbook loop over an array of structs: each node a spring and a damper after
// a spot a spacing behind the node before it. Each row is measured in pairs with the textbook.

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

    void step(const Vector3& root) {
        constexpr double stiffness = 900;
        constexpr double damping = 60;
        Vector3 before = root;
        Vector3 direction{0, -1, 0};
        for (Node& node : nodes_) {
            const Vector3 target = before + direction * spacing_m;
            const Vector3 pull = (target - node.position) * stiffness - node.velocity * damping;
            node.velocity = node.velocity + pull * dt;
            node.position = node.position + node.velocity * dt;
            const Vector3 link = node.position - before;
            const double length_m = std::sqrt(dot(link, link));
            direction = length_m > 0 ? link * (1 / length_m) : direction;
            if (keeps_spacing) node.position = before + direction * spacing_m;
            before = node.position;
        }
    }
};

/// Where a root is, from step to step on a circle; each contestant has its own.
class Circle {
  public:
    Vector3 next() {
        const double phase = 0.05 * ++frame_;
        return {std::sin(phase), 0, std::cos(phase)};
    }

  private:
    int frame_ = 0;
};

void compare(ChainSpacing spacing, const std::string& name) {
    TextbookChain first;
    first.keeps_spacing = spacing == ChainSpacing::fixed;
    std::vector<TextbookChain> textbook(chains, first);
    std::vector<Chain> ours(
        chains, Chain{ChainSettings{.nodes = nodes, .spacing_m = spacing_m, .spacing = spacing}});
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
    ChainBank bank{ChainSettings{.nodes = nodes, .spacing_m = spacing_m, .spacing = spacing},
                   chains};
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
        std::printf("%-8s  textbook %7.2f ns a node   %-12s %7.2f ns   %5.2f times the textbook\n",
                    name.c_str(), to_ns * hopcoil::bench::median(theirs_s), what.c_str(),
                    to_ns * hopcoil::bench::median(ours_s), hopcoil::bench::median(ratios));
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
