#pragma once
/// A study as one page: a file that opens in a browser from anywhere, without a network. Its sections are the chapters
/// themselves, their tables and charts as every other writer has them; the frontier can be walked along, weights typed.
///
/// The page is text from end to end: names are data, never markup, and its own policy lets nothing run or load but what
/// is in it.
///
/// @code
/// #include <cassert>
/// using namespace inchtide::report;
/// std::vector<Chapter> chapters{{.command = "estimate"}, {.command = "frontier"}};
/// chapters[0].result = Json::parse(R"({"assets": ["TIDEMILL"], "expected_return": [0.05], "covariance": [[0.04]],
///                                      "risk_free": 0.02, "from": "2024-01-02", "to": "2024-12-31"})");
/// chapters[1].result = Json::parse(
///     R"({"corners": [{"expected_return": 0.05, "volatility": 0.2, "weights": {"TIDEMILL": 1}}]})");
/// const PageSource source{.title = "One asset", .chapters = chapters};
/// assert(!has_page() || page_of(source).starts_with("<!doctype html>"));
/// @endcode

#include <span>
#include <string>
#include <string_view>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/report/chapter.hpp"

namespace inchtide::report {

struct INCHTIDE_API PageSource {
  std::string title;  ///< names the study
  /// In the order of the sections, those of an estimate and of a frontier among them; they stay their owner's. Tables
  /// that are for files alone are left out.
  std::span<const Chapter> chapters;
  std::string currency{}, benchmark{};
  std::string command{};  ///< that makes the same again
  SpeltMeans spelt{};
};

/// Whether the page was built in: it takes Node.js and npm when Inch Tide is built.
[[nodiscard]] INCHTIDE_API bool has_page();

/// @throws OutsideFailure without the page built in; InputError where the estimate's or the frontier's chapter is
/// missing
[[nodiscard]] INCHTIDE_API std::string page_of(const PageSource& source);

/// One chapter as the page has it: its sentence, warnings, tables and charts. For programs that serve a page chapter by
/// chapter; `to_json` of the chapter goes with it.
[[nodiscard]] INCHTIDE_API Json view_of(const Chapter& chapter, const SpeltMeans& spelt = {});

/// The page without a study in it, to be served: it asks its server for all that it shows. The texts are there as long
/// as the program runs.
struct INCHTIDE_API LivePage {
  std::string_view html;           ///< names "page.js" and "page.css"
  std::string_view script, style;  ///< which these are
};

/// @throws OutsideFailure without the page built in
[[nodiscard]] INCHTIDE_API LivePage live_page();

/// Licences of the packages that the page is built with; empty without it.
[[nodiscard]] INCHTIDE_API std::string_view page_notices();

}  // namespace inchtide::report
