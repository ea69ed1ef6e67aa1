#pragma once
// A study in a folder of its own: what `report` makes, and `demo` too.

#include <exception>
#include <filesystem>
#include <string>
#include <vector>

#include "inchtide/report/chapter.hpp"
#include "options.hpp"

namespace inchtide::app {

struct StudyReport {
  std::vector<report::Chapter> chapters;
  std::vector<Notice> missing;     // chapters that could not be made, and why
  std::vector<std::string> notes;  // what isn't drawn or written a second time
  std::vector<std::string> files;  // with their folder
  std::exception_ptr failure;      // of a figure; all else is there

  bool in_part() const;
};

// Every stage of the mandate; the folder is put in its place whole. Without the page built in there is none.
// @throws as the stages do that nothing can be said without: inspect, estimate, frontier
StudyReport make_report(const Options& options, const std::filesystem::path& where);

// What came out, a sentence a stage.
std::string in_words(const StudyReport& study, const SpeltMeans& spelt);

}  // namespace inchtide::app
