// Nets solved as a whole at the end of each step: one matrix, factored once, many right sides.

#include <algorithm>
#include <array>
#include <cmath>
#include <map>

#include "net_balls.hpp"
#include "net_kernels.hpp"
#include "net_solver.hpp"
#include "sparse_solver.hpp"

namespace hopcoil {
namespace {

constexpr std::uint32_t none = static_cast<std::uint32_t>(-1);
constexpr std::size_t most_remembered = 6;

/// Speeds up the convergence of a sequence x <- g(x) from the last few steps (Anderson mixing).
class Mixing {
  public:
    void resize(std::size_t size) {
        last_g_.resize(size);
        last_f_.resize(size);
        for (std::size_t i = 0; i < most_remembered; ++i) {
            changes_g_[i].resize(size);
            changes_f_[i].resize(size);
        }
    }
    void begin() noexcept { count_ = 0; }

    /// Makes x the next trial after g(x). Returns the largest distance between x and g.
    double mix(std::span<Vector3> x, std::span<const Vector3> g) noexcept {
        double largest = 0;
        double square = 0;
        const std::size_t slot = count_ > 0 ? (count_ - 1) % most_remembered : 0;
        for (std::size_t i = 0; i < x.size(); ++i) {
            const Vector3 f = g[i] - x[i];
            const double size = dot(f, f);
            largest = std::max(largest, size);
            square += size;
            if (count_ > 0) {
                changes_g_[slot][i] = g[i] - last_g_[i];
                changes_f_[slot][i] = f - last_f_[i];
            }
            last_g_[i] = g[i];
            last_f_[i] = f;
        }
        // The last step made it worse: start over without history.
        if (count_ > 0 && square > 4 * last_square_) count_ = 0;
        last_square_ = square;
        const std::size_t known = std::min(count_, most_remembered);
        ++count_;
        std::array<double, most_remembered> shares{};
        if (known > 0) find_shares(known, shares);
        for (std::size_t i = 0; i < x.size(); ++i) {
            x[i] = g[i];
            for (std::size_t k = 0; k < known; ++k)
                x[i] = x[i] - changes_g_[k][i] * shares[k];
        }
        return std::sqrt(largest);
    }

  private:
    /// Least squares of f - sum shares changes_f, by its normal equations.
    void find_shares(std::size_t known,
                     std::array<double, most_remembered>& shares) const noexcept {
        std::array<std::array<double, most_remembered + 1>, most_remembered> rows{};
        for (std::size_t a = 0; a < known; ++a) {
            for (std::size_t b = a; b < known; ++b)
                rows[a][b] = rows[b][a] = product(changes_f_[a], changes_f_[b]);
            rows[a][known] = product(changes_f_[a], last_f_);
        }
        for (std::size_t a = 0; a < known; ++a)
            rows[a][a] *= 1 + 1e-10;
        for (std::size_t a = 0; a < known; ++a) {
            if (!(rows[a][a] > 0)) return;
            for (std::size_t b = a + 1; b < known; ++b) {
                const double by = rows[b][a] / rows[a][a];
                for (std::size_t k = a; k <= known; ++k)
                    rows[b][k] -= by * rows[a][k];
            }
        }
        std::array<double, most_remembered> found{};
        for (std::size_t a = known; a-- > 0;) {
            double sum = rows[a][known];
            for (std::size_t b = a + 1; b < known; ++b)
                sum -= rows[a][b] * found[b];
            found[a] = sum / rows[a][a];
            if (!(std::abs(found[a]) < 1e3)) return;
        }
        shares = found;
    }
    static double product(const std::vector<Vector3>& a, const std::vector<Vector3>& b) noexcept {
        double sum = 0;
        for (std::size_t i = 0; i < a.size(); ++i)
            sum += dot(a[i], b[i]);
        return sum;
    }

    std::array<std::vector<Vector3>, most_remembered> changes_g_;
    std::array<std::vector<Vector3>, most_remembered> changes_f_;
    std::vector<Vector3> last_g_;
    std::vector<Vector3> last_f_;
    double last_square_ = 0;
    std::size_t count_ = 0;
};

/// One matrix for a length of the step, and whether contact is in it, with surfaces and with balls.
struct Factored {
    SparseSolver solver;
    double h = 0;
    bool is_good = false;
};

class NetImplicit final : public NetSolver {
  public:
    NetImplicit(const NetStructure& structure, const NetSettings& settings)
        : links_{structure.links},
          bends_{structure.bends},
          balls_{structure, settings},
          link_table_{structure, false},
          bend_table_{structure, false},
          has_damping_{net::has_damping(link_table_, bend_table_)},
          pins_{net::pinned_points(structure)},
          inverse_masses_{net::inverse_masses(structure)},
          iterations_{std::max<std::size_t>(1, settings.iterations)},
          base_(structure.points.size()),
          free_at_(structure.points.size()),
          moved_(structure.points.size()),
          tried_(moved_),
          projected_(moved_),
          unused_(moved_),
          passing_(moved_.size()),
          x_{moved_.size()},
          v_{moved_.size()},
          force_{moved_.size()} {
        number_free_points();
        find_entries();
        const SparseSolver solver{points_.size(), entries_};
        matrices_.assign(balls_.has_any() ? 4 : 2, {solver});
        diagonal_.resize(points_.size());
        own_.resize(points_.size());
        numbers_.resize(entries_.size());
        right_.resize(points_.size());
        guess_.resize(points_.size());
        mixing_.resize(points_.size());
    }

    [[nodiscard]] std::unique_ptr<NetSolver> clone() const override {
        return std::make_unique<NetImplicit>(*this);
    }
    [[nodiscard]] double residual_m() const noexcept override { return residual_m_; }

    bool step(NetState& state, const NetSubstep& substep) noexcept override {
        const net::BackwardDifference difference{state, substep.h};
        predict(state, substep, difference);
        const NetContacts& contacts = substep.contacts;
        const bool touches =
            contacts.has_any() && (contacts.finds_any(moved_) || contacts.finds_any(tried_));
        const bool has_balls = finds_balls(state, difference.h);
        Factored& matrix = matrices_[(touches ? 1U : 0U) + (has_balls ? 2U : 0U)];
        if (!factor(matrix, difference.h, {touches, has_balls})) return false;
        mixing_.begin();
        for (std::size_t i = 0; i < points_.size(); ++i)
            guess_[i] = moved_[points_[i]];
        for (std::size_t k = 0; k < iterations_; ++k) {
            find_imbalance(substep.set, difference.h);
            if (touches) add_contact(state, substep, difference.h);
            if (has_balls) add_balls(state);
            matrix.solver.solve(substep.set, right_);
            for (std::size_t i = 0; i < points_.size(); ++i)
                right_[i] = guess_[i] + right_[i];
            const bool is_last = k + 1 == iterations_;
            residual_m_ = mixing_.mix(guess_, right_);
            for (std::size_t i = 0; i < points_.size(); ++i)
                moved_[points_[i]] = is_last ? right_[i] : guess_[i];
        }
        substep.contacts.resolve(moved_, state.x, base_, substep.h, state.touches);
        if (has_balls) mark_balls(state, substep.contacts);
        return net::finish_step(state, {base_, moved_, inverse_masses_, difference.h}, substep);
    }

  private:
    void number_free_points() {
        std::fill(free_at_.begin(), free_at_.end(), none);
        for (std::uint32_t i = 0; i < inverse_masses_.size(); ++i) {
            if (!(inverse_masses_[i] > 0)) continue;
            free_at_[i] = static_cast<std::uint32_t>(points_.size());
            points_.push_back(i);
        }
    }
    /// The entry of two points, each pair once; `none` where one is pinned.
    std::uint32_t entry_of(std::uint32_t a, std::uint32_t b,
                           std::map<SparseSolver::Entry, std::uint32_t>& known) {
        const std::uint32_t i = std::min(free_at_[a], free_at_[b]);
        const std::uint32_t j = std::max(free_at_[a], free_at_[b]);
        if (j == none) return none;
        const auto [found, is_new] =
            known.try_emplace({i, j}, static_cast<std::uint32_t>(entries_.size()));
        if (is_new) entries_.emplace_back(i, j);
        return found->second;
    }
    void find_entries() {
        std::map<SparseSolver::Entry, std::uint32_t> known;
        for (const NetLink& link : links_)
            link_entries_.push_back(entry_of(link.a, link.b, known));
        for (const NetBend& bend : bends_) {
            bend_entries_.push_back({entry_of(bend.a, bend.middle, known),
                                     entry_of(bend.middle, bend.c, known),
                                     entry_of(bend.a, bend.c, known)});
        }
        for (const NetBalls::Pair& pair : balls_.all())
            ball_entries_.push_back(entry_of(pair.ball, pair.point, known));
    }

    void predict(const NetState& state, const NetSubstep& substep,
                 const net::BackwardDifference& difference) noexcept {
        const double h = difference.h;
        for (std::size_t i = 0; i < base_.size(); ++i) {
            base_[i] = difference.at(state.x[i], state.x_before[i]);
            const Vector3 v = difference.at(state.v[i], state.v_before[i]);
            tried_[i] = base_[i] + v * h + substep.accelerations[i] * (h * h);
            moved_[i] = state.x[i] + state.v[i] * substep.h;
        }
        for (std::size_t i = 0; i < pins_.size(); ++i)
            moved_[pins_[i]] = substep.pins_to[i];
    }

    void add_diagonal(std::uint32_t point, double number) noexcept {
        if (free_at_[point] != none) diagonal_[free_at_[point]] += number;
    }
    void add_entry(std::uint32_t entry, double number) noexcept {
        if (entry != none) numbers_[entry] += number;
    }
    struct Contact {
        bool with_surfaces;
        bool with_balls;
    };
    /// M/h^2 + the sum of (k + c/h) of each link and bend; M/h^2 again where contact counts.
    bool factor(Factored& matrix, double h, const Contact& contact) noexcept {
        if (matrix.is_good && matrix.h == h) return true;
        std::fill(numbers_.begin(), numbers_.end(), 0.0);
        for (std::size_t i = 0; i < points_.size(); ++i) {
            const double inertia = 1 / (inverse_masses_[points_[i]] * h * h);
            diagonal_[i] = inertia * (contact.with_surfaces ? 2 : 1);
        }
        for (std::size_t i = 0; i < links_.size(); ++i) {
            const double k = links_[i].stiffness_n_per_m + links_[i].damping_n_s_per_m / h;
            add_diagonal(links_[i].a, k);
            add_diagonal(links_[i].b, k);
            add_entry(link_entries_[i], -k);
        }
        for (std::size_t i = 0; i < bends_.size(); ++i) {
            const NetBend& bend = bends_[i];
            const double k = bend.stiffness_n_per_m + bend.damping_n_s_per_m / h;
            const double wa = bend.weight_a;
            const double wc = bend.weight_c;
            const double wm = -(wa + wc);
            add_diagonal(bend.a, k * wa * wa);
            add_diagonal(bend.middle, k * wm * wm);
            add_diagonal(bend.c, k * wc * wc);
            add_entry(bend_entries_[i][0], k * wa * wm);
            add_entry(bend_entries_[i][1], k * wm * wc);
            add_entry(bend_entries_[i][2], k * wa * wc);
        }
        if (contact.with_balls) {
            for (const std::uint32_t k : balls_.chosen()) {
                const NetBalls::Pair& pair = balls_.all()[k];
                const double push = push_of(pair);
                add_diagonal(pair.ball, push);
                add_diagonal(pair.point, push);
                add_entry(ball_entries_[k], -push);
            }
        }
        matrix.h = h;
        matrix.is_good = matrix.solver.factor(diagonal_, numbers_);
        return matrix.is_good;
    }

    /// The imbalance of forces with the points where they are: exactly zero at rest.
    void find_imbalance(InstructionSet set, double h) noexcept {
        const double per_h = 1 / h;
        for (std::size_t i = 0; i < moved_.size(); ++i) {
            x_.put(i, moved_[i]);
            force_.put(i, {});
            if (has_damping_) v_.put(i, (moved_[i] - base_[i]) * per_h);
        }
        net::add_forces(set, {link_table_, bend_table_, x_, v_, has_damping_, force_});
        for (std::size_t i = 0; i < points_.size(); ++i) {
            const std::uint32_t p = points_[i];
            right_[i] = (tried_[p] - moved_[p]) * (1 / (inverse_masses_[p] * h * h)) + force_.at(p);
        }
    }
    /// Whether a ball may be touched in the step.
    bool finds_balls(const NetState& state, double h) noexcept {
        if (!balls_.has_any()) return false;
        if (balls_.choose(state.x, tried_)) matrices_[2].is_good = matrices_[3].is_good = false;
        if (balls_.chosen().empty()) return false;
        if (own_h_ == h) return true;
        own_h_ = h;
        for (std::size_t i = 0; i < points_.size(); ++i)
            own_[i] = 1 / (inverse_masses_[points_[i]] * h * h);
        for (const NetLink& link : links_) {
            for (const std::uint32_t point : {link.a, link.b}) {
                if (free_at_[point] != none)
                    own_[free_at_[point]] += link.stiffness_n_per_m + link.damping_n_s_per_m / h;
            }
        }
        return true;
    }
    /// The stiffness of a contact with a ball: some times that by which the point is held
    /// otherwise. Where it is softer, points give way to a ball; where it is far stiffer, more
    /// iterations are needed.
    [[nodiscard]] double push_of(const NetBalls::Pair& pair) const noexcept {
        constexpr double stiffer = 4;
        const std::uint32_t ball = free_at_[pair.ball];
        const std::uint32_t point = free_at_[pair.point];
        if (ball == none && point == none) return 0;
        if (point == none) return stiffer * own_[ball];
        return stiffer * own_[point];
    }
    void add_balls(const NetState& state) noexcept {
        for (const std::uint32_t k : balls_.chosen()) {
            const NetBalls::Pair& pair = balls_.all()[k];
            const Vector3 force = balls_.correction(pair, state.x, moved_) * push_of(pair);
            const std::uint32_t ball = free_at_[pair.ball];
            const std::uint32_t point = free_at_[pair.point];
            if (point != none) right_[point] = right_[point] + force;
            if (ball != none) right_[ball] = right_[ball] - force;
        }
    }
    void mark_balls(NetState& state, NetContacts& contacts) const noexcept {
        for (const std::uint32_t k : balls_.chosen()) {
            const NetBalls::Pair& pair = balls_.all()[k];
            if (balls_.correction(pair, state.x, moved_) == Vector3{}) continue;
            for (const std::uint32_t point : {pair.ball, pair.point}) {
                if ((state.touches[point] & net::touching) != 0) continue;
                contacts.mark(point, state.touches);
                // The contact was part of the solve: the history of the point stays valid.
                state.touches[point] |= net::touched_before;
            }
        }
    }
    /// Draws points that are inside something to its surface.
    void add_contact(NetState& state, const NetSubstep& substep, double h) noexcept {
        std::copy(moved_.begin(), moved_.end(), projected_.begin());
        substep.contacts.resolve(projected_, state.x, unused_, substep.h, passing_);
        for (std::size_t i = 0; i < points_.size(); ++i) {
            const std::uint32_t p = points_[i];
            right_[i] =
                right_[i] + (projected_[p] - moved_[p]) * (1 / (inverse_masses_[p] * h * h));
        }
    }

    std::vector<NetLink> links_;
    std::vector<NetBend> bends_;
    NetBalls balls_;
    net::LinkTable link_table_;
    net::BendTable bend_table_;
    bool has_damping_;
    std::vector<std::uint32_t> pins_;
    std::vector<double> inverse_masses_;
    std::size_t iterations_;
    std::vector<Vector3> base_;           ///< the velocity at the end is (moved - base) / h
    std::vector<std::uint32_t> free_at_;  ///< of each point, its number among those that are free
    std::vector<std::uint32_t> points_;   ///< the free ones
    std::vector<SparseSolver::Entry> entries_;
    std::vector<std::uint32_t> link_entries_;
    std::vector<std::array<std::uint32_t, 3>> bend_entries_;
    std::vector<std::uint32_t> ball_entries_;  ///< of all pairs
    /// Without contact, with surfaces, with balls, with both.
    std::vector<Factored> matrices_;
    std::vector<double> own_;  ///< stiffness of each free point: of its inertia and links
    double own_h_ = 0;
    std::vector<Vector3> moved_;
    std::vector<Vector3> tried_;  ///< where the points would be without links
    std::vector<Vector3> projected_;
    std::vector<Vector3> unused_;
    std::vector<std::uint8_t> passing_;
    net::Columns x_;
    net::Columns v_;
    net::Columns force_;
    std::vector<double> diagonal_;
    std::vector<double> numbers_;
    std::vector<Vector3> right_;
    std::vector<Vector3> guess_;
    Mixing mixing_;
    double residual_m_ = 0;
};

}  // namespace

std::unique_ptr<NetSolver> make_implicit_solver(const NetStructure& structure,
                                                const NetSettings& settings) {
    return std::make_unique<NetImplicit>(structure, settings);
}

}  // namespace hopcoil
