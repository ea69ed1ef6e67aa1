#include "support/programme.hpp"

#include <glpk.h>

#include <cmath>
#include <memory>

namespace inchtide::test {
namespace {

// Variables: for each asset its weight, and two parts that are never negative: weight less where it bends = up - down.
class Programme {
 public:
  Programme(const std::vector<std::string>& assets, const LimitFacts& facts, bool shorts_open)
      : problem_(glp_create_prob(), glp_delete_prob), assets_(assets), facts_(facts), n_(int(assets.size())) {
    glp_term_out(GLP_OFF);
    glp_add_cols(problem_.get(), n_);
    for (int i = 1; i <= n_; ++i) glp_set_col_bnds(problem_.get(), i, shorts_open ? GLP_FR : GLP_LO, 0, 0);
  }

  void add(const Limit& limit) {
    using Kind = Limit::Kind;
    switch (limit.kind) {
      case Kind::budget: has_budget_ = true; return row(std::vector<double>(std::size_t(n_), 1), limit);
      case Kind::each:
        for (int i = 0; i < n_; ++i) {
          const bool inside = !limit.scope || has(i, limit.scope->tag, limit.scope->value) != limit.outside;
          if (inside) row(unit(i), limit, true);
        }
        return;
      case Kind::every:
        for (const char* value : {"x", "y", "z"}) {
          const auto members = of_tag(limit.tag, value);
          bool any = false;
          for (double member : members) any = any || member != 0;
          if (any) row(members, limit);
        }
        return;
      case Kind::total: {
        std::vector<double> sum(std::size_t(n_), 0.0);
        for (const auto& term : limit.terms) {
          for (int i = 0; i < n_; ++i) {
            const bool counts = term.tag.empty() ? assets_[std::size_t(i)] == term.value : has(i, term.tag, term.value);
            if (counts) sum[std::size_t(i)] += term.factor;
          }
        }
        return row(sum, limit, limit.terms.size() == 1 && limit.terms[0].tag.empty());
      }
      case Kind::average: {  // of all that is held
        std::vector<double> low, high;
        for (int i = 0; i < n_; ++i) {
          const double figure = std::stod(*facts_.tags.value(assets_[std::size_t(i)], limit.tag));
          low.push_back(figure - limit.lower.value_or(0));
          high.push_back(figure - limit.upper.value_or(0));
        }
        if (limit.lower) bounded(low, GLP_LO, 0, 0);
        if (limit.upper) bounded(high, GLP_UP, 0, 0);
        return;
      }
      case Kind::gross: return sizes(1, 1, limit, Eigen::VectorXd::Zero(n_));
      case Kind::short_total: return sizes(0, 1, limit, Eigen::VectorXd::Zero(n_));
      case Kind::turnover:  // the larger of purchases and sales
        sizes(1, 0, limit, facts_.current);
        return sizes(0, 1, limit, facts_.current);
      default: return;
    }
  }

  bool feasible() {
    if (!has_budget_) bounded(std::vector<double>(std::size_t(n_), 1), GLP_FX, 1, 1);
    glp_smcp how;
    glp_init_smcp(&how);
    how.msg_lev = GLP_MSG_OFF;
    glp_simplex(problem_.get(), &how);
    if (glp_exact(problem_.get(), &how) != 0) return false;
    const int status = glp_get_status(problem_.get());
    return status == GLP_OPT || status == GLP_FEAS || status == GLP_UNBND;
  }

 private:
  std::vector<double> unit(int i) const {
    std::vector<double> one(std::size_t(n_), 0.0);
    one[std::size_t(i)] = 1;
    return one;
  }
  bool has(int i, const std::string& tag, const std::string& value) const {
    return facts_.tags.value(assets_[std::size_t(i)], tag) == value;
  }
  std::vector<double> of_tag(const std::string& tag, const std::string& value) const {
    std::vector<double> sum;
    for (int i = 0; i < n_; ++i) sum.push_back(has(i, tag, value) ? 1 : 0);
    return sum;
  }

  void bounded(const std::vector<double>& coefficients, int type, double lower, double upper) {
    const int r = glp_add_rows(problem_.get(), 1);
    std::vector<int> columns{0};
    std::vector<double> values{0};
    for (std::size_t k = 0; k < coefficients.size(); ++k) {
      if (coefficients[k] == 0) continue;
      columns.push_back(int(k) + 1);
      values.push_back(coefficients[k]);
    }
    glp_set_mat_row(problem_.get(), r, int(columns.size()) - 1, columns.data(), values.data());
    glp_set_row_bnds(problem_.get(), r, type, lower, upper);
  }

  // A lower end of a single asset below 0 opens it; there is one such end at least as wide in the weights' own range.
  void row(const std::vector<double>& coefficients, const Limit& limit, bool single = false) {
    const double lower = limit.lower.value_or(0), upper = limit.upper.value_or(0);
    const int type = limit.lower && limit.upper ? (lower == upper ? GLP_FX : GLP_DB) : limit.lower ? GLP_LO : GLP_UP;
    if (single && limit.lower && lower < 0) {
      for (int i = 0; i < n_; ++i) {
        if (coefficients[std::size_t(i)] > 0) glp_set_col_bnds(problem_.get(), i + 1, GLP_FR, 0, 0);
      }
    }
    bounded(coefficients, type, lower, upper);
  }

  // sum of up x (w - from)+ and down x (from - w)+ at most the figure.
  void sizes(double up, double down, const Limit& limit, const Eigen::VectorXd& from) {
    const int first = glp_add_cols(problem_.get(), 2 * n_);
    std::vector<double> sum(std::size_t(first - 1 + 2 * n_), 0.0);
    for (int i = 0; i < n_; ++i) {
      const int above = first + 2 * i, below = above + 1;
      glp_set_col_bnds(problem_.get(), above, GLP_LO, 0, 0);
      glp_set_col_bnds(problem_.get(), below, GLP_LO, 0, 0);
      std::vector<double> split(std::size_t(below), 0.0);
      split[std::size_t(i)] = 1;
      split[std::size_t(above - 1)] = -1;
      split[std::size_t(below - 1)] = 1;
      bounded(split, GLP_FX, from[i], from[i]);
      sum[std::size_t(above - 1)] = up;
      sum[std::size_t(below - 1)] = down;
    }
    bounded(sum, GLP_UP, 0, *limit.upper);
  }

  std::unique_ptr<glp_prob, void (*)(glp_prob*)> problem_;
  const std::vector<std::string>& assets_;
  const LimitFacts& facts_;
  int n_;
  bool has_budget_ = false;
};

}  // namespace

bool can_hold(const Limits& limits, const std::vector<std::string>& assets, const LimitFacts& facts, bool shorts_open) {
  Programme programme(assets, facts, shorts_open);
  for (const auto& limit : limits) programme.add(limit);
  return programme.feasible();
}

}  // namespace inchtide::test
