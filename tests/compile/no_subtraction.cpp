// A type that does not subtract has no gap.
// expect: LinearSpace
#include <hopcoil/follow/follower.hpp>

struct ValueArray {
    float x = 0;
    friend ValueArray operator+(ValueArray a, ValueArray b) { return {a.x + b.x}; }
#ifndef BROKEN
    friend ValueArray operator-(ValueArray a, ValueArray b) {
        return {a.x - b.x};
    }
#endif
    friend ValueArray operator*(ValueArray a, float s) {
        return {a.x * s};
    }
};

hopcoil::Follower<ValueArray>* follower = nullptr;
