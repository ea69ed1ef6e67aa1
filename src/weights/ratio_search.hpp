#pragma once
// The highest ratio of excess return to volatility where the number or least size of positions is limited, proven on
// the ratio itself.
//
// With e = m - rf and v the variance, G(lambda) = min over all choices of v/2 - lambda e'w. As a least of straight
// lines in lambda it is concave, and q is the highest ratio exactly if G(lambda) >= -q^2 lambda^2 / 2 for all lambda >=
// 0 (each portfolio's parabola v/2 - lambda e + q^2 lambda^2 / 2 has no two roots). A search for positions at one
// lambda finds G there, or a portfolio that lies below and so has a higher ratio. Chords between what is proven bound G
// from below in between; where a chord lies too low, it is parted by another search.

#include "inchtide/frontier/holdings.hpp"
#include "inchtide/weights/allocation.hpp"

namespace inchtide {

struct RatioAnswer {
  HoldingsAnswer found;  // positions of the highest ratio that was found; its portfolio has it
  double ratio = 0;
  double most = 0;      // no choice of positions has a higher one; infinite where nothing is known
  bool proven = false;  // to the gap asked for
  int searches = 0;
};

/// @param frontier without the limits on positions
/// @param search how: its gap is one of the ratio, as a part of it
/// @throws InputError where no choice beats the risk-free rate
RatioAnswer search_ratio(const Frontier& frontier, const Aim& aim, double risk_free, HoldingsOptions search,
                         const LimitFacts& facts);

}  // namespace inchtide
