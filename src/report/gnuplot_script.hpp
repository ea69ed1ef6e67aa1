#pragma once
// A chart as a gnuplot script with the data in it.

#include <filesystem>
#include <string>

#include "inchtide/report/chart.hpp"

namespace inchtide::report {

// @param path whose ending says what kind of picture it is to be
// @param output that gnuplot is to write to; its standard output when empty
// @throws InputError when the ending is another one or a series has no points to draw
std::string gnuplot_script(const Chart& chart, const std::filesystem::path& path, const std::string& output = "");

}  // namespace inchtide::report
