// Rest is asked of a type that has a length.
// expect: HasLength
#include <hopcoil/follow/follower.hpp>

class Hidden {
  public:
    Hidden(float number) : number_{number} {}
    Hidden(const Hidden& other) : number_{other.number_} {}
    Hidden& operator=(const Hidden&) = default;
    Hidden operator+(const Hidden& b) const { return {number_ + b.number_}; }
    Hidden operator-(const Hidden& b) const { return {number_ - b.number_}; }
    Hidden operator*(float s) const { return {number_ * s}; }
#ifndef BROKEN
    [[nodiscard]] float norm() const {
        return number_ < 0 ? -number_ : number_;
    }
#endif

  private:
    float number_;
};

bool rests(const hopcoil::Follower<Hidden>& follower) {
    return follower.at_rest(1, 1);
}
