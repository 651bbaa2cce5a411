// The lowest modes of a tree of rods by subspace iteration. Mass is applied by a pass outward and
// back along the tree, so that an iteration costs in proportion to the number of branches.

#include "plant_modes.hpp"

#include <algorithm>
#include <array>
#include <cmath>

#include <hopcoil/base/math.hpp>
#include <hopcoil/base/random.hpp>

namespace hopcoil::plant {
namespace {

using Column = std::vector<double>;

/// A square matrix, row by row.
struct Square {
    std::size_t size = 0;
    std::vector<double> numbers{};
    explicit Square(std::size_t n) : size{n}, numbers(n * n, 0.0) {}
    double& operator()(std::size_t i, std::size_t k) { return numbers[i * size + k]; }
};

double product(const Column& a, const Column& b) {
    double sum = 0;
    for (std::size_t i = 0; i < a.size(); ++i)
        sum += a[i] * b[i];
    return sum;
}

/// Torques about the bends of all branches, of forces at the lumps of each.
Column torques_of(std::span<const Rod> rods, std::span<const std::array<Vector3, 2>> forces) {
    std::vector<Vector3> force(rods.size());
    std::vector<Vector3> moment(rods.size());  // about the foot
    Column torques(2 * rods.size());
    for (std::size_t i = rods.size(); i-- > 0;) {
        const Rod& rod = rods[i];
        for (std::size_t k = 0; k < 2; ++k) {
            moment[i] = moment[i] + cross(rod.along * lump_parts[k], forces[i][k]);
            force[i] = force[i] + forces[i][k];
        }
        for (std::size_t k = 0; k < 2; ++k)
            torques[2 * i + k] = dot(rod.bends[k], moment[i]);
        if (rod.parent == plant_base) continue;
        force[rod.parent] = force[rod.parent] + force[i];
        moment[rod.parent] =
            moment[rod.parent] + moment[i] + cross(rods[rod.parent].along, force[i]);
    }
    return torques;
}

Column mass_times(std::span<const Rod> rods, const Column& turns) {
    const Ways ways = ways_of(rods, turns);
    std::vector<std::array<Vector3, 2>> forces(rods.size());
    for (std::size_t i = 0; i < rods.size(); ++i) {
        forces[i] = lump_ways(rods, ways, i);
        for (Vector3& each : forces[i])
            each = each * (0.5 * rods[i].volume_m3);
    }
    return torques_of(rods, forces);
}

void divide_by_stiffness(std::span<const Rod> rods, Column& torques) {
    for (std::size_t i = 0; i < rods.size(); ++i) {
        torques[2 * i] /= rods[i].stiffness;
        torques[2 * i + 1] /= rods[i].stiffness;
    }
}

/// The bend under an even load along a direction, proportional to each branch's width.
Column bend_under(std::span<const Rod> rods, const Vector3& direction) {
    std::vector<std::array<Vector3, 2>> forces(rods.size());
    for (std::size_t i = 0; i < rods.size(); ++i)
        forces[i].fill(direction * (rods[i].radius_m * rods[i].length_m));
    Column bend = torques_of(rods, forces);
    divide_by_stiffness(rods, bend);
    return bend;
}

/// Eigenvalues of a symmetric matrix, and the vectors in the columns of `vectors`, by rotations
/// of two rows at a time (Jacobi, 1846).
void diagonalise(Square& matrix, Square& vectors) {
    const std::size_t n = matrix.size;
    for (std::size_t i = 0; i < n; ++i)
        vectors(i, i) = 1;
    constexpr int most_rounds = 30;
    for (int round = 0; round < most_rounds; ++round) {
        double off = 0;
        double on = 0;
        for (std::size_t i = 0; i < n; ++i) {
            on += matrix(i, i) * matrix(i, i);
            for (std::size_t k = 0; k < i; ++k)
                off += matrix(i, k) * matrix(i, k);
        }
        if (off <= 1e-28 * on) return;
        for (std::size_t p = 0; p < n; ++p) {
            for (std::size_t q = p + 1; q < n; ++q) {
                const double apq = matrix(p, q);
                if (apq == 0) continue;
                const double half = (matrix(q, q) - matrix(p, p)) / (2 * apq);
                const double t =
                    (half < 0 ? -1 : 1) / (std::abs(half) + math::sqrt(half * half + 1));
                const double c = 1 / math::sqrt(t * t + 1);
                const double s = t * c;
                const auto turn = [&](double& a, double& b) {
                    const double before = a;
                    a = c * before - s * b;
                    b = s * before + c * b;
                };
                for (std::size_t i = 0; i < n; ++i)
                    turn(matrix(i, p), matrix(i, q));
                for (std::size_t i = 0; i < n; ++i)
                    turn(matrix(p, i), matrix(q, i));
                for (std::size_t i = 0; i < n; ++i)
                    turn(vectors(i, p), vectors(i, q));
            }
        }
    }
}

/// Vectors, and their products with the mass matrix.
struct Block {
    std::vector<Column> columns{};
    std::vector<Column> masses{};
    std::vector<double> eigenvalues{};

    /// Makes them orthonormal with respect to the mass; vectors that nearly depend on others are
    /// dropped.
    void orthonormalise(std::span<const Rod> rods) {
        std::vector<Column> kept;
        std::vector<Column> kept_masses;
        for (Column& column : columns) {
            Column mass = mass_times(rods, column);
            const double before = product(column, mass);
            for (int twice = 0; twice < 2; ++twice) {
                for (std::size_t k = 0; k < kept.size(); ++k) {
                    const double share = product(column, kept_masses[k]);
                    for (std::size_t i = 0; i < column.size(); ++i) {
                        column[i] -= share * kept[k][i];
                        mass[i] -= share * kept_masses[k][i];
                    }
                }
            }
            const double square = product(column, mass);
            if (!(square > 1e-10 * before) || !(before > 0)) continue;
            const double scale = 1 / math::sqrt(square);
            for (std::size_t i = 0; i < column.size(); ++i) {
                column[i] *= scale;
                mass[i] *= scale;
            }
            kept.push_back(std::move(column));
            kept_masses.push_back(std::move(mass));
        }
        columns = std::move(kept);
        masses = std::move(kept_masses);
    }

    /// The best approximations of modes in the space of the vectors, the slowest first.
    void find_modes(std::span<const Rod> rods) {
        orthonormalise(rods);
        const std::size_t n = columns.size();
        Square stiffness{n};
        for (std::size_t a = 0; a < n; ++a) {
            for (std::size_t b = 0; b <= a; ++b) {
                double sum = 0;
                for (std::size_t i = 0; i < columns[a].size(); ++i)
                    sum += rods[i / 2].stiffness * (columns[a][i] * columns[b][i]);
                stiffness(a, b) = stiffness(b, a) = sum;
            }
        }
        Square vectors{n};
        diagonalise(stiffness, vectors);
        std::vector<std::size_t> order(n);
        for (std::size_t i = 0; i < n; ++i)
            order[i] = i;
        std::stable_sort(order.begin(), order.end(), [&](std::size_t a, std::size_t b) {
            return stiffness(a, a) < stiffness(b, b);
        });
        const auto combined = [&](const std::vector<Column>& from) {
            std::vector<Column> to;
            for (const std::size_t which : order) {
                Column sum(from.front().size(), 0.0);
                for (std::size_t k = 0; k < n; ++k) {
                    for (std::size_t i = 0; i < sum.size(); ++i)
                        sum[i] += vectors(k, which) * from[k][i];
                }
                to.push_back(std::move(sum));
            }
            return to;
        };
        columns = combined(columns);
        masses = combined(masses);
        eigenvalues.clear();
        for (const std::size_t which : order)
            eigenvalues.push_back(stiffness(which, which));
    }
};

Block start_block(std::span<const Rod> rods, std::size_t size, bool is_flat) {
    RandomNumbers numbers{stream_of(0, "modes of a plant")};
    Block block;
    for (std::size_t k = 0; k < size; ++k) {
        Column column(2 * rods.size());
        for (std::size_t i = 0; i < column.size(); ++i)
            column[i] = is_flat && i % 2 == 1 ? 0 : numbers.between(-1, 1);
        block.columns.push_back(std::move(column));
    }
    return block;
}

}  // namespace

Ways ways_of(std::span<const Rod> rods, std::span<const double> turns) {
    Ways ways{std::vector<Vector3>(rods.size()), std::vector<Vector3>(rods.size())};
    for (std::size_t i = 0; i < rods.size(); ++i) {
        const Rod& rod = rods[i];
        const bool is_root = rod.parent == plant_base;
        ways.turns[i] = (is_root ? Vector3{} : ways.turns[rod.parent]) +
                        rod.bends[0] * turns[2 * i] + rod.bends[1] * turns[2 * i + 1];
        ways.ends[i] =
            (is_root ? Vector3{} : ways.ends[rod.parent]) + cross(ways.turns[i], rod.along);
    }
    return ways;
}

std::array<Vector3, 2> lump_ways(std::span<const Rod> rods, const Ways& ways, std::size_t branch) {
    const Rod& rod = rods[branch];
    const Vector3 foot = rod.parent == plant_base ? Vector3{} : ways.ends[rod.parent];
    const Vector3& turn = ways.turns[branch];
    return {foot + cross(turn, rod.along * lump_parts[0]),
            foot + cross(turn, rod.along * lump_parts[1])};
}

BaseShare base_share(std::span<const Rod> rods, std::span<const double> turns) {
    const Ways ways = ways_of(rods, turns);
    std::vector<Vector3> ends(rods.size());
    BaseShare share;
    for (std::size_t i = 0; i < rods.size(); ++i) {
        const Rod& rod = rods[i];
        const Vector3 foot = rod.parent == plant_base ? Vector3{} : ends[rod.parent];
        ends[i] = foot + rod.along;
        const std::array<Vector3, 2> lumps = lump_ways(rods, ways, i);
        for (std::size_t k = 0; k < 2; ++k) {
            const Vector3 momentum = lumps[k] * (0.5 * rod.volume_m3);
            share.way = share.way + momentum;
            share.turn = share.turn + cross(foot + rod.along * lump_parts[k], momentum);
        }
    }
    return share;
}

std::vector<FoundMode> lowest_modes(std::span<const Rod> rods, std::size_t count, bool is_flat) {
    const std::size_t all = (is_flat ? 1 : 2) * rods.size();
    count = std::min(count, all);
    Block block = start_block(rods, std::min(all, count + 8), is_flat);
    constexpr int most_rounds = 80;
    std::vector<double> before;
    for (int round = 0; round < most_rounds; ++round) {
        block.find_modes(rods);
        bool is_settled = before.size() >= count;
        for (std::size_t i = 0; i < count && is_settled; ++i)
            is_settled = std::abs(before[i] - block.eigenvalues[i]) <= 1e-9 * before[i];
        if (is_settled) break;
        before = block.eigenvalues;
        block.columns = block.masses;
        for (Column& column : block.columns)
            divide_by_stiffness(rods, column);
    }
    // An even load along any axis bends it fully.
    std::vector<Column> bends;
    for (const Vector3& axis : {Vector3{1, 0, 0}, Vector3{0, 1, 0}, Vector3{0, 0, 1}})
        bends.push_back(bend_under(rods, axis));
    const std::size_t kept = count > 2 * bends.size() ? count - bends.size() : count;
    block.columns.resize(std::min(kept, block.columns.size()));
    for (Column& bend : bends)
        if (kept < count) block.columns.push_back(std::move(bend));
    block.find_modes(rods);
    std::vector<FoundMode> found;
    for (std::size_t i = 0; i < block.columns.size(); ++i)
        found.push_back({block.eigenvalues[i], std::move(block.columns[i])});
    return found;
}

}  // namespace hopcoil::plant
