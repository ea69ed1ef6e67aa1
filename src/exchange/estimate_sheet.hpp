#pragma once
// The estimate as a sheet of CSV.

#include <filesystem>

#include "inchtide/estimate/estimate.hpp"

namespace inchtide::exchange {

Estimate read_estimate_sheet(const std::filesystem::path& path);

}  // namespace inchtide::exchange
