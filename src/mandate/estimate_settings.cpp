#include "mandate/takers.hpp"

#include <fmt/format.h>

#include <algorithm>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/base/text.hpp"

namespace inchtide {

namespace {

void take_own(Mandate& mandate, const Given& given) {
  for (const auto& [asset, figure] : by_asset(given)) {
    if (asset.empty()) {
      throw InputError(given.where, fmt::format("'{}' names no figure", excerpt(figure)), "Write it like KELPFARM=6%");
    }
    mandate.settings.methods.own[asset] = fraction_from_percent(figure, given.where);
  }
}

View& view_of(Mandate& mandate, const std::string& name) {
  auto& views = mandate.settings.methods.views;
  const auto found = std::ranges::find(views, name, &View::name);
  if (found != views.end()) return *found;
  views.push_back({});
  views.back().name = name;
  views.back().confidence = 0.5;
  return views.back();
}

void take_view(Mandate& mandate, const Given& given) {
  auto& view = view_of(mandate, given.names[0]);
  view = View::parse(given.text(), view.name, view.confidence);
}

}  // namespace

Declarations of_the_estimate() {
  return {
      {"estimate.returns",
       "--returns",
       Takes::word,
       "KIND",
       "Returns: simple or log",
       "simple",
       "log",
       {Step::returns},
       into(&Settings::returns,
            [](const Given& g) {
              return ReturnKind(choice_in(g, {"simple", "log"}));
            }),
       Means::returns_kind},
      {"estimate.denominator",
       "--denominator",
       Takes::word,
       "WHICH",
       "Of variances: sample (T-1) or population (T)",
       "sample",
       "population",
       {Step::returns},
       into_methods(&EstimateOptions::denominator,
                    [](const Given& g) {
                      return Denominator(choice_in(g, {"sample", "population"}));
                    })},
      {"estimate.expected",
       "--expected",
       Takes::text,
       "METHOD",
       "Expected returns: arithmetic, geometric, exponential:H (half-life in periods), bayes-stein, market-model, "
       "implied, views",
       "arithmetic",
       "bayes-stein",
       {Step::estimate},
       into_methods(&EstimateOptions::expected,
                    [](const Given& g) { return ExpectedMethod::parse(g.text(), g.where); }),
       Means::expected_return},
      {"estimate.covariance",
       "--covariance",
       Takes::text,
       "METHOD",
       "Covariance: sample, exponential:H, constant-correlation, scaled-identity, one-factor, nonlinear, factors:K",
       "sample",
       "constant-correlation",
       {Step::estimate},
       into_methods(&EstimateOptions::covariance,
                    [](const Given& g) { return CovarianceMethod::parse(g.text(), g.where); }),
       Means::covariance},
      {"estimate.risk_free",
       "--risk-free",
       Takes::percent,
       "RATE",
       "Risk-free rate per year",
       "0%",
       "2%",
       {Step::limits},
       into(&Settings::risk_free, percent_in),
       Means::risk_free},
      {"",
       "--own",
       Takes::list,
       "CODE=RATE",
       "Your own expected return of an asset, KELPFARM=6%; beats the method; repeatable",
       "",
       "KELPFARM=6%",
       {Step::estimate},
       take_own},
      {"estimate.own.*",
       "",
       Takes::percent,
       "RATE",
       "Your own expected return of an asset",
       "",
       "6%",
       {Step::estimate},
       [](Mandate& mandate, const Given& given) {
         mandate.settings.methods.own[lower_name(given.names[0])] = percent_in(given);
       }},
      {"estimate.caps.*",
       "",
       Takes::percent,
       "RATE",
       "The most that is expected of an asset",
       "",
       "9%",
       {Step::estimate},
       [](Mandate& mandate, const Given& given) {
         mandate.settings.methods.caps[lower_name(given.names[0])] = percent_in(given);
       }},
      {"estimate.premium",
       "",
       Takes::percent,
       "RATE",
       "Of the benchmark over the risk-free rate",
       "as measured",
       "4%",
       {Step::estimate},
       into_methods(&EstimateOptions::premium, percent_in)},
      {"estimate.risk_aversion",
       "",
       Takes::number,
       "N",
       "Of who holds the implied weights",
       "3",
       "2.5",
       {Step::estimate},
       into_methods(&EstimateOptions::risk_aversion,
                    [](const Given& g) {
                      const double value = number_in(g, -1e15, 1e15);
                      if (value > 0) return value;
                      throw InputError(g.where, "it is not positive", "Give a positive number");
                    })},
      {"estimate.tau",
       "",
       Takes::number,
       "",
       "",
       "",
       "",
       {Step::estimate},
       [](Mandate&, const Given& given) {
         throw InputError(given.where, "it cancels out: the doubt of a view comes from its confidence alone",
                          "Take it out");
       }},
      {"estimate.implied_weights",
       "",
       Takes::path,
       "FILE",
       "Whose expected returns are implied: asset,weight",
       "equal weights",
       "held.csv",
       {Step::estimate},
       path_to(&Mandate::implied_weights)},
      {"views.*.confidence",
       "",
       Takes::percent,
       "SHARE",
       "How sure a view is",
       "50%",
       "60%",
       {Step::estimate},
       [](Mandate& mandate, const Given& given) { view_of(mandate, given.names[0]).confidence = percent_in(given); }},
      {"views.*.says",
       "",
       Takes::text,
       "VIEW",
       "What is believed of expected returns",
       "",
       "KELPFARM = 8%",
       {Step::estimate},
       take_view,
       Means::views,
       true},
  };
}

}  // namespace inchtide
