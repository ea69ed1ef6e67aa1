#pragma once
/// Random numbers by (seed, draw): each draw has its own, so that it is the same bits whatever does it, and when.
///
/// The mixing function of Steele, Lea & Flood 2014 (Fast splittable pseudorandom number generators, OOPSLA) over a
/// counter that starts where seed and draw put it.
///
/// @code
/// #include <cassert>
/// inchtide::RandomDraw one(7, 3), again(7, 3), other(7, 4);
/// const double first = one.uniform();
/// assert(first >= 0 && first < 1 && first == again.uniform() && first != other.uniform());
/// @endcode

#include <cstddef>
#include <cstdint>

#include "inchtide/base/api.hpp"

namespace inchtide {

class INCHTIDE_API RandomDraw {
 public:
  RandomDraw(std::uint64_t seed, std::uint64_t draw) : state_(mixed(seed) ^ mixed(draw + step)) {}

  /// 64 random bits.
  std::uint64_t next() { return mixed(state_ += step); }
  /// Evenly from [0, 1), in steps of 2^-53.
  double uniform() { return uniform_of(next()); }
  /// Evenly from the whole numbers below `count`, which is at most 2^53.
  std::size_t below(std::size_t count) { return below_of(next(), count); }

  /// What these two make of random bits.
  static double uniform_of(std::uint64_t bits) { return double(bits >> 11) * 0x1p-53; }
  static std::size_t below_of(std::uint64_t bits, std::size_t count) {
    return std::size_t(uniform_of(bits) * double(count));
  }

 private:
  static constexpr std::uint64_t step = 0x9E3779B97F4A7C15u;
  static std::uint64_t mixed(std::uint64_t z) {
    z = (z ^ (z >> 30)) * 0xBF58476D1CE4E5B9u;
    z = (z ^ (z >> 27)) * 0x94D049BB133111EBu;
    return z ^ (z >> 31);
  }

  std::uint64_t state_;
};

}  // namespace inchtide
