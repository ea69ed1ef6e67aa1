#pragma once
// What a command hands back, and how it reaches the user: tables, JSON, CSV, figures, in this order.

#include <string>
#include <utility>
#include <vector>

#include "inchtide/report/chart.hpp"
#include "inchtide/report/documents.hpp"
#include "inchtide/report/table.hpp"
#include "options.hpp"

namespace inchtide::app {

struct Outcome {
  std::string command;
  report::Json inputs;
  std::vector<Notice> warnings;
  report::Json result;
  std::vector<report::Table> tables;
  std::vector<std::pair<std::string, report::Chart>> charts = {};  // by name
  int exit_code = 0;
  std::vector<std::pair<std::string, std::string>> sheets = {};  // more CSV files: name and content
  std::vector<std::pair<std::string, Notice>> undrawable = {};   // charts by name, and why they can't be
};

// Prints and writes an outcome. Everything was computed before, so a failure leaves nothing half done; figures come
// last, because they need another program.
void deliver(const Outcome& outcome, Options& options);

// To standard output, as it is.
// @throws OutsideFailure when it is full or gone
void to_screen(std::string_view text);

void print_tables(const Outcome& outcome, const SpeltMeans& spelt);
void write_tables(const Outcome& outcome, const std::string& folder);
void print_warnings(const Outcome& outcome, const SpeltMeans& spelt);
std::string document_of(const Outcome& outcome, const SpeltMeans& spelt);

// Writes a problem without a certified answer to where --json would have written the result.
void keep(const UnsolvedProblem& unsolved, const std::string& command, const Options& options);

// The commands as calls; `demo` strings them together.
Outcome gather(const Options& options);
Outcome inspect(const Options& options);
Outcome describe(const Options& options);
Outcome relate(const Options& options);
Outcome estimate(const Options& options);
Outcome frontier(const Options& options);
Outcome weigh(const Options& options);
Outcome rehearse(const Options& options);

}  // namespace inchtide::app
