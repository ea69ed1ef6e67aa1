#pragma once
// How a chapter reaches the user: warnings, tables, JSON, CSV, a spreadsheet, figures, in this order.

#include <exception>
#include <functional>
#include <string>
#include <string_view>
#include <vector>

#include "inchtide/report/chapter.hpp"
#include "options.hpp"

namespace inchtide::app {

// What is handed over of a chapter, which stays its owner's, and where to.
struct Delivery {
  const report::Chapter& chapter;
  bool warnings = true, tables = true;      // on the screen
  std::string json, csv, xlsx;              // a file (- the screen, without tables), a folder, a file; empty for none
  std::vector<report::Chart> figures = {};  // with their files, at the same positions
  std::vector<std::string> figure_files = {};
};

// As the options of its command ask for.
Delivery delivery_of(const report::Chapter& chapter, const Options& options);

// The figures that were drawn, and why the first that wasn't could not be.
struct Drawn {
  std::vector<std::string> files;
  std::exception_ptr failure;
};

// Everything was computed before, so a failure leaves nothing half done. Figures come last, side by side, because they
// need another program; one that cannot be drawn costs no other.
// @param beside what can be done meanwhile
// @throws what that threw
Drawn deliver(const std::vector<Delivery>& all, const Options& options,
              const std::vector<std::function<void()>>& beside = {});

// One command's; the tool ends with done, or done in part.
// @throws what a figure failed with
void deliver(const report::Chapter& chapter, Options& options);

// How tables are shown: in a terminal of usual width, unless all of them is wanted.
report::TextStyle style_of(const Options& options);

// To standard output, as it is.
// @throws OutsideFailure when it is full or gone
void to_screen(std::string_view text);

// Writes a problem without a certified answer to where --json would have written the result.
void keep(const UnsolvedProblem& unsolved, const std::string& command, const Options& options);

// The commands as calls; `demo` strings them together.
report::Chapter gather(const Options& options, ExitCode* ends_with = nullptr);
report::Chapter inspect(const Options& options);
report::Chapter describe(const Options& options);
report::Chapter relate(const Options& options);
report::Chapter estimate(const Options& options);
report::Chapter frontier(const Options& options);
// Its corners alone, which are soon there.
report::Json frontier_alone(const Options& options);
report::Chapter weigh(const Options& options);
report::Chapter rehearse(const Options& options);

}  // namespace inchtide::app
