#pragma once
// Histories that did not happen, in tables, a chart and JSON.

#include "inchtide/report/chart.hpp"
#include "inchtide/report/table.hpp"
#include "inchtide/study/futures.hpp"
#include "json.hpp"

namespace inchtide::report {

Table futures_table(const Futures& futures, const Settings& settings, const std::string& currency);
// How the baseline's wealth may go on by day, and what it did.
Chart futures_chart(const Futures& futures, const std::vector<Rehearsal>& runs, const std::string& currency);
Json futures_json(const Futures& futures, const Settings& settings);

}  // namespace inchtide::report
