#pragma once
// A chart as the page's script reads it.

#include "inchtide/report/chapter.hpp"

namespace inchtide::report {

// Days are counted from 1970-01-01; figures have six digits, more than a screen can show.
Json page_chart(const Chart& chart);

}  // namespace inchtide::report
