#include "inchtide/exchange/estimate_file.hpp"

#include <fmt/format.h>

#include <algorithm>
#include <cmath>
#include <limits>
#include <nlohmann/json.hpp>

#include "estimate_sheet.hpp"
#include "fields.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/exchange/csv.hpp"

namespace inchtide::exchange {
namespace {

using nlohmann::json;

Covariance covariance_of(const Fields& fields) {
  if (fields.find("covariance") != nullptr) return Covariance::dense(fields.matrix("covariance"));
  if (fields.find("loadings") != nullptr) {
    return Covariance::factors(fields.matrix("loadings"), fields.matrix("factor_covariance"),
                               fields.vector("specific_variance"));
  }
  throw fields.error("covariance", "it is missing",
                     "Give covariance, or loadings, factor_covariance and specific_variance");
}

/// Errors of the estimate itself, with the file before them.
template <typename Action>
auto naming_file(const std::filesystem::path& path, Action action) {
  try {
    return action();
  } catch (const InputError& error) {
    if (!error.notice().where.file.empty()) throw;
    auto notice = error.notice();
    notice.where.file = path.string();
    throw InputError(std::move(notice));
  }
}

}  // namespace

Estimate read_estimate(const std::filesystem::path& path) {
  if (same_name(path.extension().string(), ".csv")) {
    return naming_file(path, [&] {
      auto estimate = read_estimate_sheet(path);
      estimate.check();
      return estimate;
    });
  }
  const auto document = read_json_file(path, "Give an object with assets");
  const json& object = document.is_object() && document.contains("result") ? document["result"] : document;
  if (!object.is_object())
    throw InputError(Where::in_file(path.string()), "it holds no estimate", "Give an object with assets");
  const Fields fields(path.string(), object);

  std::string returns = "simple";
  fields.maybe("returns", returns);
  if (returns != "simple" && returns != "log") {
    throw fields.error("returns", fmt::format("there are no '{}' returns", returns), "Give simple or log");
  }
  Estimate estimate;
  estimate.returns = returns == "log" ? ReturnKind::log : ReturnKind::simple;
  for (const auto& asset : fields.list("assets")) {
    if (!asset.is_string())
      throw fields.error("assets", fmt::format("{} is not a code", shown_json(asset)), "Give texts");
    estimate.assets.push_back(asset.get<std::string>());
    check_name(estimate.assets.back(), longest_code, path.string());
  }
  estimate.expected_return = fields.vector("expected_return");
  naming_file(path, [&] {
    estimate.covariance = covariance_of(fields);
    estimate.check();
  });
  std::string denominator;
  fields.maybe("denominator", denominator);
  estimate.denominator = denominator_named(denominator);
  if (!estimate.denominator && !denominator.empty()) {
    throw fields.error("denominator", fmt::format("'{}' is none", denominator), "Give T-1 or T");
  }
  fields.maybe("periods_per_year", estimate.periods_per_year);
  fields.maybe("observations", estimate.observations);
  fields.maybe("risk_free", estimate.risk_free);
  fields.maybe_day("from", estimate.from);
  fields.maybe_day("to", estimate.to);
  return estimate;
}

}  // namespace inchtide::exchange
