#pragma once
// The deepest fall from a high, met value by value.

#include <algorithm>
#include <limits>

namespace inchtide {

class DeepestFall {
 public:
  // @param value positive, the next one; whether it is the lowest below its high so far
  bool add(double value) {
    high_ = std::max(high_, value);
    if (value >= high_ * deeper_) return false;  // but for rounding it needs no quotient
    const double fall = value / high_ - 1;
    if (!(fall < depth_)) return false;
    depth_ = fall;
    from_ = high_;
    deeper_ = (1 + fall) * (1 + 4 * std::numeric_limits<double>::epsilon());
    return true;
  }
  // Several next ones at once, of which the least and the highest are known: false where one of them may be lower below
  // its high than any before, and nothing is done then.
  bool pass(double least, double highest) {
    const double high = std::max(high_, highest);
    if (least < high * deeper_) return false;
    high_ = high;
    return true;
  }
  [[nodiscard]] double high() const { return high_; }
  [[nodiscard]] double depth() const { return depth_; }
  // The high that it is a fall from.
  [[nodiscard]] double from() const { return from_; }

 private:
  double high_ = 0, depth_ = 0, from_ = 0, deeper_ = 1;
};

}  // namespace inchtide
