#include "inchtide/exchange/estimate_file.hpp"

#include <fmt/format.h>

#include <nlohmann/json.hpp>

#include "inchtide/base/errors.hpp"
#include "inchtide/exchange/files.hpp"

namespace inchtide::exchange {
namespace {

using nlohmann::json;

/// The fields of one estimate file, read with messages that name them.
class Fields {
 public:
  Fields(std::string file, const json& object) : file_(std::move(file)), object_(object) {}

  InputError error(const std::string& field, const std::string& problem, const std::string& remedy) const {
    return InputError(fmt::format("{}, field {}", file_, field), problem, remedy);
  }

  const json* find(const std::string& field) const {
    const auto found = object_.find(field);
    return found == object_.end() || found->is_null() ? nullptr : &*found;
  }

  const json& list(const std::string& field) const {
    const auto* value = find(field);
    if (value == nullptr) throw error(field, "it is missing", "An estimate needs assets, expected_return, covariance");
    if (!value->is_array()) throw error(field, "it is not a list", "Give a list");
    return *value;
  }

  double number(const std::string& field, const json& value) const {
    if (!value.is_number()) throw error(field, fmt::format("{} is not a number", value.dump()), "Give a figure");
    return value.get<double>();
  }

  Eigen::VectorXd vector(const std::string& field) const {
    const auto& values = list(field);
    Eigen::VectorXd result(Eigen::Index(values.size()));
    for (std::size_t i = 0; i < values.size(); ++i) result[Eigen::Index(i)] = number(field, values[i]);
    return result;
  }

  Eigen::MatrixXd matrix(const std::string& field) const {
    const auto& rows = list(field);
    Eigen::MatrixXd result;
    for (std::size_t i = 0; i < rows.size(); ++i) {
      if (!rows[i].is_array()) throw error(field, fmt::format("row {} is not a list", i + 1), "Give a list of lists");
      if (i == 0) result.resize(Eigen::Index(rows.size()), Eigen::Index(rows[0].size()));
      if (Eigen::Index(rows[i].size()) != result.cols()) {
        throw error(field, fmt::format("row {} has {} figures, row 1 has {}", i + 1, rows[i].size(), result.cols()),
                    "Give rows of the same length");
      }
      for (std::size_t j = 0; j < rows[i].size(); ++j) {
        result(Eigen::Index(i), Eigen::Index(j)) = number(field, rows[i][j]);
      }
    }
    return result;
  }

  template <typename Value>
  void maybe(const std::string& field, Value& target) const {
    if (const auto* value = find(field)) {
      try {
        value->get_to(target);
      } catch (const json::exception&) {
        throw error(field, "the value is of another kind", "See the guide for what it holds");
      }
    }
  }

  void maybe_day(const std::string& field, std::optional<Day>& target) const {
    std::string text;
    maybe(field, text);
    if (!text.empty()) target = day_from(text, fmt::format("{}, field {}", file_, field));
  }

 private:
  std::string file_;
  const json& object_;
};

Covariance covariance_of(const Fields& fields) {
  if (fields.find("covariance") != nullptr) return Covariance::dense(fields.matrix("covariance"));
  if (fields.find("loadings") != nullptr) {
    return Covariance::factors(fields.matrix("loadings"), fields.matrix("factor_covariance"),
                               fields.vector("specific_variance"));
  }
  throw fields.error("covariance", "it is missing",
                     "Give covariance, or loadings, factor_covariance and specific_variance");
}

}  // namespace

Estimate read_estimate(const std::filesystem::path& path) {
  json document;
  try {
    document = json::parse(read_text_file(path));
  } catch (const json::exception& error) {
    throw InputError(path.string(), fmt::format("not JSON: {}", error.what()), "Write it anew, or check it there");
  }
  const json& object = document.is_object() && document.contains("result") ? document["result"] : document;
  if (!object.is_object()) throw InputError(path.string(), "it holds no estimate", "Give an object with assets");
  const Fields fields(path.string(), object);

  std::string returns = "simple";
  fields.maybe("returns", returns);
  if (returns != "simple") {
    throw fields.error("returns", fmt::format("the estimate is of {} returns", returns),
                       "Portfolios add up simple returns only: estimate those");
  }
  Estimate estimate;
  for (const auto& asset : fields.list("assets")) {
    if (!asset.is_string()) throw fields.error("assets", fmt::format("{} is not a code", asset.dump()), "Give texts");
    estimate.assets.push_back(asset.get<std::string>());
  }
  estimate.expected_return = fields.vector("expected_return");
  try {
    estimate.covariance = covariance_of(fields);
    estimate.check();
  } catch (const InputError& error) {
    const std::string what = error.what();
    if (what.starts_with(path.string())) throw;
    throw InputError(fmt::format("{}: {}", path.string(), what));
  }
  fields.maybe("denominator", estimate.denominator);
  fields.maybe("periods_per_year", estimate.periods_per_year);
  fields.maybe("observations", estimate.observations);
  fields.maybe("risk_free", estimate.risk_free);
  fields.maybe_day("from", estimate.from);
  fields.maybe_day("to", estimate.to);
  return estimate;
}

}  // namespace inchtide::exchange
