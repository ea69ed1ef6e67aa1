#pragma once
/// A study as a spreadsheet that answers: a sheet a table, charts of its own, and a sheet with weights to change whose
/// figures are formulas.
///
/// @code
/// #include <cassert>
/// #include <filesystem>
/// using namespace inchtide::report;
/// Chapter estimate{.command = "estimate"}, weigh{.command = "weigh"};
/// estimate.result = Json::parse(R"({"assets": ["TIDEMILL"], "expected_return": [0.05], "covariance": [[0.04]],
///                                   "risk_free": 0.02})");
/// weigh.result = Json::parse(R"({"portfolios": [{"name": "all", "weights": {"TIDEMILL": 1}}]})");
/// const auto file = std::filesystem::temp_directory_path() / "inchtide-snippet-study.xlsx";
/// write_study_workbook({estimate, weigh}, file);
/// assert(std::filesystem::file_size(file) > 0);
/// std::filesystem::remove(file);
/// @endcode

#include <filesystem>
#include <vector>

#include "inchtide/base/api.hpp"
#include "inchtide/report/chapter.hpp"

namespace inchtide::report {

/// Sheets: `what-if`, where there are an estimate and a portfolio to begin with: weights to type, and return, risk,
/// Sharpe ratio, shares of risk and sums by tag as formulas, each written with its value, beside the tool's figures;
/// then charts of the frontier and of growth with what they are drawn from; then each table of each chapter, the
/// weights with a chart beside them. Tables of more than 200,000 cells (weights of every day) have none: the last sheet
/// names them, and the files that `report` writes them to.
/// @throws InputError when there is nothing to write or the name doesn't end with .xlsx; OutsideFailure when it can't
/// be written
INCHTIDE_API void write_study_workbook(const std::vector<Chapter>& chapters, const std::filesystem::path& path,
                                       const SpeltMeans& spelt = {});

}  // namespace inchtide::report
