#pragma once

#include <cmath>
#include <cstddef>
#include <functional>
#include <vector>

#include <Eigen/Cholesky>

#include <hopcoil/base/math.hpp>
#include <hopcoil/points/plant.hpp>

#include "support/eigenvalues.hpp"

namespace hopcoil {

/// The whole motion of a plant's coupled rods, as few lines as it takes: every bend a coordinate,
/// nothing linear but the springs, stepped finely by the classical Runge-Kutta method. The base
/// does not turn.
class PlantReference {
  public:
    using Matrix = Eigen::MatrixXd;
    using Numbers = Eigen::VectorXd;

    std::function<Vector3(const Vector3&, double)> stream = [](auto&, double) {
        return Vector3{};
    };
    std::function<Vector3(double)> base = [](double) {
        return Vector3{};
    };
    std::function<std::vector<PlantPull>(double)> pulls = [](double) {
        return std::vector<PlantPull>{};
    };

    PlantReference(const PlantStructure& structure, const PlantSettings& settings)
        : rods_{structure.rods()}, settings_{settings}, size_{rods_.size()} {
        bends_ = rates_ = Numbers::Zero(coordinates());
        pose(bends_, rates_);
        const Matrix mass = mass_matrix();
        stiffness_ = Numbers(coordinates());
        for (std::size_t i = 0; i < size_; ++i)
            stiffness_[at(2 * i)] = stiffness_[at(2 * i + 1)] = rods_[i].stiffness;
        const Modes modes = modes_of(Matrix{stiffness_.asDiagonal()}, mass);
        const double w = 2 * math::pi * settings.frequency_hz;
        const double scale = w * w / modes.values[0];
        stiffness_ *= scale;
        const Numbers frequencies = (modes.values * scale).cwiseSqrt();
        ratios = frequencies / frequencies[0];
        const Matrix moved = mass * modes.vectors;
        damping_ =
            moved * (2 * settings.damping_ratio * frequencies).asDiagonal() * moved.transpose();
    }

    /// Of all its modes, over the first.
    Numbers ratios;

    /// The ends of all branches, from the base.
    [[nodiscard]] const std::vector<Vector3>& ends() {
        pose(bends_, rates_);
        return ends_;
    }

    void step(double time_s, double h) {
        const Numbers a1 = acceleration(bends_, rates_, time_s);
        const Numbers v2 = rates_ + h / 2 * a1;
        const Numbers a2 = acceleration(bends_ + h / 2 * rates_, v2, time_s + h / 2);
        const Numbers v3 = rates_ + h / 2 * a2;
        const Numbers a3 = acceleration(bends_ + h / 2 * v2, v3, time_s + h / 2);
        const Numbers v4 = rates_ + h * a3;
        const Numbers a4 = acceleration(bends_ + h * v3, v4, time_s + h);
        bends_ += h / 6 * (rates_ + 2 * v2 + 2 * v3 + v4);
        rates_ += h / 6 * (a1 + 2 * a2 + 2 * a3 + a4);
    }

  private:
    [[nodiscard]] static Eigen::Index at(std::size_t i) { return static_cast<Eigen::Index>(i); }
    [[nodiscard]] Eigen::Index coordinates() const { return at(2 * size_); }
    [[nodiscard]] static Eigen::Vector3d column(const Vector3& v) { return {v.x, v.y, v.z}; }
    [[nodiscard]] double density() const {
        return settings_.density_kg_per_m3 + settings_.fluid_density_kg_per_m3;
    }

    /// Places, velocities, and how each lump of mass moves with each coordinate.
    void pose(const Numbers& bends, const Numbers& rates) {
        ends_.assign(size_, {});
        lumps_.assign(2 * size_, {});
        velocities_.assign(2 * size_, {});
        directions_.assign(size_, {});
        feet_.assign(size_, {});
        axes_.assign(2 * size_, {});
        std::vector<Quaternion> turns(size_);
        std::vector<Vector3> spins(size_);
        std::vector<Vector3> end_velocities(size_);
        ways_ = Matrix::Zero(at(6 * size_), coordinates());
        for (std::size_t i = 0; i < size_; ++i) {
            const PlantStructure::Rod& rod = rods_[i];
            const bool is_root = rod.parent == plant_base;
            const Quaternion before = is_root ? Quaternion{} : turns[rod.parent];
            const Vector3 bend =
                rod.bends[0] * bends[at(2 * i)] + rod.bends[1] * bends[at(2 * i + 1)];
            turns[i] = before * turned_by(bend);
            feet_[i] = is_root ? Vector3{} : ends_[rod.parent];
            const Vector3 along = rotated(turns[i], rod.along);
            directions_[i] = along * (1 / rod.length_m);
            ends_[i] = feet_[i] + along;
            spins[i] = is_root ? Vector3{} : spins[rod.parent];
            for (std::size_t c = 0; c < 2; ++c) {
                axes_[2 * i + c] = rotated(before, angular_velocity_from(bend, rod.bends[c]));
                spins[i] = spins[i] + axes_[2 * i + c] * rates[at(2 * i + c)];
            }
            const Vector3 foot_velocity = is_root ? Vector3{} : end_velocities[rod.parent];
            end_velocities[i] = foot_velocity + cross(spins[i], along);
            for (std::size_t k = 0; k < 2; ++k) {
                const double part = 0.5 + (k == 0 ? -0.5 : 0.5) / std::sqrt(3.0);
                lumps_[2 * i + k] = feet_[i] + along * part;
                velocities_[2 * i + k] = foot_velocity + cross(spins[i], along * part);
                for (std::size_t j = i; j != plant_base; j = rods_[j].parent) {
                    for (std::size_t c = 0; c < 2; ++c)
                        ways_.block<3, 1>(at(3 * (2 * i + k)), at(2 * j + c)) =
                            column(cross(axes_[2 * j + c], lumps_[2 * i + k] - feet_[j]));
                }
            }
        }
    }

    [[nodiscard]] double lump_mass(std::size_t lump) const {
        return 0.5 * rods_[lump / 2].volume_m3 * density();
    }

    [[nodiscard]] Matrix mass_matrix() const {
        Numbers masses(at(6 * size_));
        for (std::size_t i = 0; i < 2 * size_; ++i)
            masses.segment<3>(at(3 * i)).setConstant(lump_mass(i));
        return ways_.transpose() * masses.asDiagonal() * ways_;
    }

    [[nodiscard]] Numbers acceleration(const Numbers& bends, const Numbers& rates, double time_s) {
        // What the lumps accelerate by while the rates hold, by a difference.
        constexpr double apart = 1e-5;
        pose(bends + apart * rates, rates);
        const std::vector<Vector3> later = velocities_;
        pose(bends - apart * rates, rates);
        const std::vector<Vector3> earlier = velocities_;
        pose(bends, rates);
        constexpr double h = 1e-4;
        const Vector3 here = base(time_s);
        const Vector3 pull = (base(time_s + h) + base(time_s - h) - here * 2) * (1 / (h * h));
        const Vector3 speed = (base(time_s + h) - base(time_s - h)) * (1 / (2 * h));
        Numbers forces(at(6 * size_));
        for (std::size_t i = 0; i < 2 * size_; ++i) {
            const PlantStructure::Rod& rod = rods_[i / 2];
            const Vector3 relative =
                stream(lumps_[i] + here, time_s) * settings_.wind_share - velocities_[i] - speed;
            const Vector3 along = directions_[i / 2];
            const Vector3 across = relative - along * dot(relative, along);
            const double area = rod.radius_m * rod.length_m;  // of half the rod
            const double drag = 0.5 * settings_.fluid_density_kg_per_m3 *
                                settings_.drag_coefficient * area * std::sqrt(dot(across, across));
            const Vector3 own = (later[i] - earlier[i]) * (1 / (2 * apart));
            forces.segment<3>(at(3 * i)) = column(across * drag - (pull + own) * lump_mass(i));
        }
        Numbers torques =
            ways_.transpose() * forces - stiffness_.cwiseProduct(bends) - damping_ * rates;
        for (const PlantPull& each : pulls(time_s)) {
            for (std::size_t j = each.branch; j != plant_base; j = rods_[j].parent) {
                const Vector3 torque = cross(ends_[each.branch] - feet_[j], each.force_n);
                for (std::size_t c = 0; c < 2; ++c)
                    torques[at(2 * j + c)] += dot(axes_[2 * j + c], torque);
            }
        }
        return mass_matrix().llt().solve(torques);
    }

    std::span<const PlantStructure::Rod> rods_;
    PlantSettings settings_;
    std::size_t size_;
    Numbers bends_;
    Numbers rates_;
    Numbers stiffness_;
    Matrix damping_;
    Matrix ways_;
    std::vector<Vector3> ends_;
    std::vector<Vector3> feet_;
    std::vector<Vector3> axes_;
    std::vector<Vector3> directions_;
    std::vector<Vector3> lumps_;
    std::vector<Vector3> velocities_;
};

}  // namespace hopcoil
