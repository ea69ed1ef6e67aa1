#pragma once
// What is measured of relations beside the matrices themselves, each as its table, chart and JSON; nothing where it
// wasn't asked for.

#include <cmath>

#include "inchtide/report/relations.hpp"

namespace inchtide::report {

/// A figure, or an empty cell where it is NaN.
inline Cell figure_or_none(double value) {
  return std::isnan(value) ? Cell() : Cell(value);
}

/// The codes of a subset.
std::vector<std::string> members_of(const LeastRelated& subset, const Correlation& correlation);

/// The least related subset.
void add_subset(Chapter& chapter, const Relations& relations, bool absolute);
/// Slopes on the benchmark.
void add_market_model(Chapter& chapter, const Relations& relations, const Universe& universe);
/// Principal components and their loadings.
void add_components(Chapter& chapter, const Relations& relations);
/// What of the first half the second half knows.
void add_stability(Chapter& chapter, const Relations& relations);
/// How risk falls with the number of assets.
void add_diversification(Chapter& chapter, const Relations& relations);
/// Correlations of pairs over moving windows.
void add_rolling(Chapter& chapter, const Relations& relations);

}  // namespace inchtide::report
