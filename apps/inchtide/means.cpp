#include "means.hpp"

#include <CLI/CLI.hpp>
#include <map>
#include <string>

namespace inchtide::app {
namespace {

const std::map<Means, const char*>& options() {
  static const std::map<Means, const char*> table = {{Means::actions, "--actions"},
                                                     {Means::aim, "--aim"},
                                                     {Means::alignment, "--align"},
                                                     {Means::assets, "--assets"},
                                                     {Means::benchmark, "--benchmark"},
                                                     {Means::borrowing, "--borrowing"},
                                                     {Means::costs, "--cost"},
                                                     {Means::covariance, "--covariance"},
                                                     {Means::currency, "--currency"},
                                                     {Means::current, "--current"},
                                                     {Means::date_order, "--dates"},
                                                     {Means::decimal_mark, "--decimal"},
                                                     {Means::expected_return, "--expected"},
                                                     {Means::interval, "--every"},
                                                     {Means::last_period, "--last-period"},
                                                     {Means::limits, "--limit"},
                                                     {Means::mandate, "--mandate"},
                                                     {Means::misprints, "--drop-misprints"},
                                                     {Means::patience, "--patience"},
                                                     {Means::prices, "--prices"},
                                                     {Means::price_field, "--field"},
                                                     {Means::rates, "--rates"},
                                                     {Means::returns_kind, "--returns"},
                                                     {Means::risk_free, "--risk-free"},
                                                     {Means::short_histories, "--short-histories"},
                                                     {Means::split, "--split"},
                                                     {Means::store, "--store"},
                                                     {Means::table_files, "--csv"},
                                                     {Means::tags, "--tags"},
                                                     {Means::wealth, "--wealth"},
                                                     {Means::weights, "--weights"},
                                                     {Means::window, "--from"},
                                                     {Means::workbook, "--xlsx"}};
  return table;
}

}  // namespace

SpeltMeans means_of(const CLI::App& command) {
  return [&command](Means means) -> std::string {
    if (means == Means::gather) return "inchtide gather";
    if (means == Means::gather_in_full) return "inchtide gather --in-full";
    if (means == Means::inspect) return "inchtide inspect";
    if (means == Means::views) return "[views] in the mandate";
    const auto found = options().find(means);
    if (found == options().end() || command.get_option_no_throw(found->second) == nullptr) return "";
    return found->second;
  };
}

}  // namespace inchtide::app
