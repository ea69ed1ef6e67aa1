#pragma once
// How chapters begin: with their inputs and the warnings of the steps before.

#include <string>
#include <vector>

#include "inchtide/report/chapter.hpp"

namespace inchtide::report {

/// On prices.
/// @param warnings of the step that the chapter is about
Chapter begin_chapter(const std::string& command, const Universe& universe, const Settings& settings,
                      const Background& from, const std::vector<Notice>& warnings);

/// On portfolios.
/// @param universe none where the estimate was given
Chapter begin_chapter(const std::string& command, const Basis& basis, const Universe* universe,
                      const Settings& settings, const Background& from, const std::vector<Notice>& warnings);

}  // namespace inchtide::report
