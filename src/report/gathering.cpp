#include "inchtide/report/gathering.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "json.hpp"

namespace inchtide::report {
namespace {

Cell day_or_none(const std::optional<Day>& day) {
  return day ? Cell(*day) : Cell();
}

Table gathered_table(const exchange::GatherReport& report) {
  Table table{"gathered",
              "What was gathered",
              {{"Asset"},
               {"From", Format::day},
               {"To", Format::day},
               {"New", Format::count},
               {"Changed", Format::count},
               {"Unchanged", Format::count},
               {"Remarks"}},
              {},
              {}};
  std::size_t failed = 0;
  for (const auto& a : report.assets) {
    failed += a.error ? 1 : 0;
    const bool had = !a.error;
    const auto count = [&](std::size_t rows) { return had ? Cell(double(rows)) : Cell(); };
    table.add({a.asset, day_or_none(a.from), day_or_none(a.to), count(a.rows_new), count(a.changed), count(a.unchanged),
               had ? a.note : "failed, see below"});
  }
  table.notes.push_back(fmt::format("{} of {} assets gathered; from and to are those of the store",
                                    report.assets.size() - failed, report.assets.size()));
  if (report.interrupted)
    table.notes.push_back("Stopped on request; what is listed is complete, the rest wasn't reached");
  return table;
}

Table failures_table(const exchange::GatherReport& report, const SpeltMeans& spelt) {
  Table table{"failures", "What failed", {{"Asset"}, {"Why, and what to do"}}, {}, {}};
  for (const auto& a : report.assets) {
    if (a.error) table.add({a.asset, a.error->text(spelt)});
  }
  return table;
}

Json gather_json(const exchange::GatherReport& report, const SpeltMeans& spelt) {
  auto assets = Json::array();
  for (const auto& a : report.assets) {
    assets.push_back({{"asset", a.asset},
                      {"from", or_null(a.from)},
                      {"to", or_null(a.to)},
                      {"new", a.rows_new},
                      {"changed", a.changed},
                      {"unchanged", a.unchanged},
                      {"note", a.note.empty() ? Json() : Json(a.note)},
                      {"error", a.error ? Json(a.error->text(spelt)) : Json()}});
  }
  return {{"assets", assets}, {"interrupted", report.interrupted}};
}

}  // namespace

Chapter gather_chapter(const exchange::GatherReport& report, const SpeltMeans& spelt) {
  Chapter chapter{.command = "gather"};
  chapter.result = gather_json(report, spelt);
  chapter.tables = {gathered_table(report)};
  if (auto failures = failures_table(report, spelt); !failures.rows.empty()) {
    chapter.tables.push_back(std::move(failures));
  }
  const auto failed = std::size_t(std::ranges::count_if(report.assets, [](const auto& a) { return bool(a.error); }));
  chapter.sentence = fmt::format("{} of {} assets gathered", report.assets.size() - failed, report.assets.size());
  return chapter;
}

}  // namespace inchtide::report
