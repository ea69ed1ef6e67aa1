#pragma once

#include <string>

#include "inchtide/report/table.hpp"

namespace inchtide::report {

// A column's name with its unit.
std::string heading(const Column& column);

}  // namespace inchtide::report
