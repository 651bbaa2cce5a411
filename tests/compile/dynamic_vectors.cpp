// Neither can a vector that allocates.
// expect: LinearSpace
#include <Eigen/Core>

#include <hopcoil/follow/follower.hpp>

#ifdef BROKEN
hopcoil::Follower<Eigen::VectorXf>* follower = nullptr;
#else
hopcoil::Follower<Eigen::Vector3f>* follower = nullptr;
#endif
