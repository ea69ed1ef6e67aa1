#pragma once
// What counts as nothing in the stage that finds portfolios, and what each is relative to. Weights are fractions of 1,
// so where nothing else is said of a weight its tolerance is a fraction of wealth.

#include "base/numbers.hpp"

namespace inchtide {

// ---- weights, limits, ranges ----

// Weights this close to an end of their range are at it.
constexpr double binding_within = 1e-9;
// Where the budget has less room than this, the bounds leave one portfolio only.
constexpr double no_room = 1e-12;
// Weights that move by less than this from one corner to the next stand still.
constexpr double same_weight = 1e-11;
// A row that is broken by more than this, times its largest coefficient, is broken.
constexpr double broken_row = 1e-9;
// Sums of bounds that miss the budget by less than this are rounding, not a conflict.
constexpr double sum_slack = 1e-12;
// Totals of rows may miss their ends by this part of the row's largest coefficient.
constexpr double row_slack = 1e-12;
// Targets may miss the range by this part of its larger end.
constexpr double range_slack = 1e-12;
// A ceiling may be passed by this part of it: the square root of a variance's rounding.
constexpr double ceiling_slack = 1e-9;
// A position counts as decided where its share of one is this near to 0 or 1.
constexpr double decided = 1e-7;

// ---- variances, rates, ratios ----

// Of variances in searches for positions, whose gaps are measured against it at least.
constexpr double no_variance_in_search = 1e-10;
// Rates and ratios closer than this are the same.
constexpr double same_rate = 1e-12;
// Of a sum such as a return, a part of its terms.
constexpr double sum_rounding = 1e-15;
// A product of sums that cancels to less than this part of its terms is none.
constexpr double no_turn = 1e-14;
// Correlations beyond this make two assets look alike.
constexpr double next_to_one = 1 - 1e-5;
// Sw is a sum of terms up to max(S_ii) sum|w|; where it cancels to less than this part of them (a portfolio without
// variance), residuals are measured against this part instead: times 1e-9, a few hundred roundings.
constexpr double cancelled = 1e-4;
// Prices of limits from both sides closer than this part are the same; those below the next one are measured against
// it.
constexpr double same_price = 1e-7;
constexpr double least_price = 1e-9;
// Slopes of a limit's figure below this part of the largest of their kind are rounding.
constexpr double no_figure_slope = 1e-10;

// ---- the path (path*.cpp) ----

// A slope below this part of the largest term that it is the sum of is rounding, not a slope.
constexpr double slope_noise = 1e-12;
// The same of a direction that has been refined, against its largest entry.
constexpr double refined_noise = 1e-14;
// The same for a long sum, measured against the sum of its terms' sizes.
constexpr double sum_noise = 1e-14;
// Events closer than this part of lambda happen together.
constexpr double same_moment = 1e-12;
// A curvature below this part of its terms is flat.
constexpr double flat = 1e-11;
// Whatever the terms, they are no smaller than this part of the largest variance.
constexpr double least_scale = 1e-4;
// A curvature below this part of its terms is looked at again with the inverse built anew.
constexpr double suspect = 1e-6;
// One below minus this part is no rounding.
constexpr double negative = 1e-7;
// Along a flat direction the linear term gains nothing where it gains less than this part of its terms.
constexpr double no_gain = 1e-9;
// Weights that move by less than this haven't moved.
constexpr double no_move = 1e-13;
// Below this part of max(S_ii) / max|q|, lambda q is lost in the rounding of Sw: no price is followed there.
constexpr double negligible = 1e-13;
// A path that is in trouble within so many times that lambda may as well end.
constexpr double late = 1e3;
// Prices below this part of the terms that they are the sum of are rounding.
constexpr double no_price = 1e-11;
// Where lambda falls below this part of itself at once and lambda q was larger than Sw, digits are lost.
constexpr double far_fall = 1e-3;
// Where it has, a price with the wrong sign that is this part of its terms has changed sign.
constexpr double passed_price = 1e-12;
// This part of a large lambda may be lost.
constexpr double lost_digits = 1e-13;
// Prices of free weights beyond this part of the largest term that they are the sum of are cleared at once.
constexpr double drift = 1e-11;
// Unless that moves a weight by more: a system next to singular knows no better.
constexpr double small_move = 1e-10;

// Residuals of a direction, over the largest entry of its terms: good, of a system to be built anew, of no use.
constexpr double good_solution = 1e-12;
constexpr double worn_system = 1e-10;
constexpr double poor_solution = 1e-8;
// Entries of a flat direction below this part of its largest are none.
constexpr double no_slope_along = 1e-9;
// Entries of two directions that differ by this part of the larger tell that the path turns; below the next, that all
// do together, over the largest entry, it goes straight on.
constexpr double same_direction = 1e-6;
constexpr double no_turn_of_path = 1e-11;

// ---- the first vertex (vertex.cpp) ----

// Totals of rows this close to their ends, over the row's largest coefficient, are within them.
constexpr double feasible_within = 1e-11;
// Entries of a pivot column below this part of its largest are rounding.
constexpr double no_pivot = 1e-11;
// Reduced costs below this part of the largest cost or price are none.
constexpr double no_reduced_cost = 1e-13;
// Slopes that differ by less than this part (or by this, between rows of the first phase) are the same.
constexpr double same_slope = 1e-9;
// Steps that differ by less than this are the same.
constexpr double same_step = 1e-14;

// ---- one portfolio by itself (single.cpp) ----

// A price below this part of the gradient's terms, or a weight this far out of its range, is rounding.
constexpr double price_noise = 1e-12;
// The square of a diagonal entry below this part of the largest is that of a singular system.
constexpr double singular = 1e-11;
// A start is good enough when its certificate holds to this.
constexpr double good_start = 1e-11;

// ---- searches for positions (relaxation.cpp, own_parts.cpp, position_search.cpp) ----

// Importances below this part of the largest count as this much: every asset has some.
constexpr double least_importance = 1e-3;
// A bound above what all positions together can do, by this part, says that there is no choice.
constexpr double beyond_all = 1e-9;
// Shares of positions that sum to the number left, to this part of it.
constexpr double sums_to_left = 1e-4;
// Sums of shares are taken to be no smaller than this where a price is scaled by them.
constexpr double least_sum_of_shares = 1e-3;
// Shares this far from 0 and 1 are undecided enough to branch on.
constexpr double undecided = 1e-4;
// A price of positions below this is dropped.
constexpr double least_position_price = 1e-3;
// The first price of positions, as a part of the largest variance, is no smaller.
constexpr double least_first_price = 1e-12;
// The barrier of the part of the covariance that is each asset's own ends at this part of its scale.
constexpr double last_barrier = 1e-3;
// Moves of an own part below this part of the asset's variance are none.
constexpr double no_own_move = 1e-12;
// A gap that is passed by this part of it counts as reached.
constexpr double gap_rounding = 1e-9;
// Among weights that are as undecided, those of the larger variance come first, by this part.
constexpr double tie_break = 1e-9;

// ---- within a tracking error (tracked.cpp) ----

// A multiplier's complement is no smaller: beyond it the ceiling's price has no end.
constexpr double least_complement = 1e-12;

}  // namespace inchtide
