// A type that does not subtract has no gap.
// expect: LinearSpace
#include <hopcoil/follow/follower.hpp>

struct Place {
    float x = 0;
    friend Place operator+(Place a, Place b) { return {a.x + b.x}; }
#ifndef BROKEN
    friend Place operator-(Place a, Place b) {
        return {a.x - b.x};
    }
#endif
    friend Place operator*(Place a, float s) {
        return {a.x * s};
    }
};

hopcoil::Follower<Place>* follower = nullptr;
