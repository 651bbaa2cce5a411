// The kinds that every scene knows: a line each.

#include <hopcoil/scene/kind.hpp>

#include "balance.hpp"
#include "brachiator.hpp"
#include "chain.hpp"
#include "ground.hpp"
#include "net.hpp"
#include "particles.hpp"
#include "parts.hpp"
#include "plant.hpp"
#include "read_mover.hpp"
#include "swell.hpp"
#include "walker.hpp"
#include "wind.hpp"

namespace hopcoil::scene {

const std::vector<SystemKind>& built_in_kinds() {
    static const std::vector<SystemKind> kinds{
        follower_kind(),    //
        glide_kind(),       //
        pursuit_kind(),     //
        settle_kind(),      //
        curve_kind(),       //
        cascade_kind(),     //
        coast_kind(),       //
        pose_kind(),        //
        chain_kind(),       //
        wind_kind(),        //
        swell_kind(),       //
        ground_kind(),      //
        net_kind(),         //
        particles_kind(),   //
        plant_kind(),       //
        parts_kind(),       //
        walker_kind(),      //
        brachiator_kind(),  //
        balance_kind(),     //
    };
    return kinds;
}

}  // namespace hopcoil::scene
