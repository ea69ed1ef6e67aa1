#pragma once
// What counts as nothing in a rehearsal, each relative to the wealth.

namespace inchtide {

/// Beyond its band by no more than this, a weight is at its edge; of the wealth.
inline constexpr double band_rounding = 1e-12;
/// A smaller order is rounding, not an order.
inline constexpr double rounding_order = 1e-9;
/// Cash this far below its floor is at it.
inline constexpr double cash_rounding = 1e-14;
/// A count of lots this far below a whole one is it; relative to the count.
inline constexpr double lot_rounding = 1e-12;
/// Calendar days of a year of charges; not a tolerance, and known by all that charge.
inline constexpr double days_of_charges = 365;
/// Rows up to a decision of the figures that impact hangs on.
inline constexpr std::size_t trailing_rows = 21;
/// After so many steps of a kind that nearly always ends in a handful, halving takes over.
inline constexpr int newton_steps = 20;
/// At most so many steps towards the wealth after a trade; a handful are needed.
inline constexpr int most_steps = 200;

}  // namespace inchtide
