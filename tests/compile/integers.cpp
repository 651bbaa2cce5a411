// Integers cannot follow.
// expect: LinearSpace
#include <hopcoil/follow/follower.hpp>

#ifdef BROKEN
hopcoil::Follower<int>* follower = nullptr;
#else
hopcoil::Follower<float>* follower = nullptr;
#endif
