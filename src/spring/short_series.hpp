#pragma once

namespace hopcoil {

/// Functions of equation (16) of docs/math/follower.md as polynomials: coefficients of rising
/// powers that interpolate at Chebyshev's nodes, to 3e-16, where the phases u and z u are at most
/// 1/2.
struct ShortSeries {
    /// (e^-t - 1 + t)/t^2 in two, over t^2: the even powers of t, and the odd ones less one t.
    static constexpr double decay_even[] = {0.49999999999999967, 0.041666666661303135,
                                            0.0013888877485737125, 2.477884944072777e-05,
                                            2.249225630829272e-07};
    static constexpr double decay_odd[] = {-0.16666666666656624, -0.008333333222923142,
                                           -0.00019840606750033606, -2.709945051891176e-06};
    /// (cosh sqrt x - 1)/x
    static constexpr double cosh[] = {0.5000000000000001,    0.041666666666666664,
                                      0.0013888888888636845, 2.4801587301482283e-05,
                                      2.755742676232883e-07, 2.0876801795495186e-09};
    /// (sinh sqrt x / sqrt x - 1)/x
    static constexpr double sinh[] = {0.16666666666666669,    0.008333333333333333,
                                      0.00019841269841101812, 2.7557319223924114e-06,
                                      2.5052180077655894e-08, 1.6059070194246275e-10};
    static constexpr double longest_phase = 0.5;
};

}  // namespace hopcoil
