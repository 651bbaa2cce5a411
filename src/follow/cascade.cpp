#include <hopcoil/base/problems.hpp>
#include <hopcoil/follow/cascade.hpp>

namespace hopcoil {

void require_valid_links(std::span<const Tuning> tunings) {
    if (tunings.empty()) throw InvalidValue{"links", 0, "at least one link"};
    for (const Tuning& tuning : tunings)
        require_valid(tuning);
}

}  // namespace hopcoil
