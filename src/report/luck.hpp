#pragma once
// What of the runs was luck, in tables, sentences and JSON.

#include <vector>

#include "inchtide/report/table.hpp"
#include "inchtide/study/luck.hpp"
#include "json.hpp"

namespace inchtide::report {

// Every run beside the baseline; the verdict stands in the notes.
// @param most so many of those that stand out most; all, in their order, when 0
Table luck_table(const StudyLuck& luck, const std::vector<Rehearsal>& runs, std::size_t most = 0);
// What the choice of the day alone does.
Table timing_table(const std::vector<TimingLuck>& timing);
Json luck_json(const StudyLuck& luck, const std::vector<Rehearsal>& runs);

}  // namespace inchtide::report
