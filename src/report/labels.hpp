#pragma once
// Series as figures, and where the labels of points stand.

#include <vector>

#include "inchtide/report/chart.hpp"

namespace inchtide::report {

// A series as a table of figures: x, then the columns of its kind (of bars open, high, low and close as gnuplot takes
// them; of a band low and high).
struct Figures {
  std::vector<double> x;
  std::vector<const std::vector<double>*> columns;
  const Points* points = nullptr;  //< where it is of that kind

  std::size_t size() const { return x.size(); }
};

Figures figures_of(const Series& series);

// Where the name of a line stands: at its last figure, or as near to it as the others leave room for.
struct LineEnd {
  std::string name, colour;
  double x, y;
};
std::vector<LineEnd> line_ends(const std::vector<Series>& all);

// Where a label stands beside its point.
enum class Side { right, left, above, below };
constexpr Side sides[] = {Side::right, Side::left, Side::above, Side::below};

// A side for each label of points, the first on which it collides neither with an earlier label nor with a point.
std::vector<Side> label_sides(const Chart& chart, const Points& series);

}  // namespace inchtide::report
