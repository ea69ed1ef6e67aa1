#pragma once
// Sums along the rows of a few columns at a time, so that they are read and written once for all of them. A row's sum
// is in the order of these groups, wherever a piece begins.

#include <algorithm>
#include <array>
#include <cstddef>

#include "inchtide/base/eigen.hpp"

namespace inchtide {

inline constexpr Eigen::Index columns_together = 4;

// A group of columns of a table. Places beyond the last column repeat it; their factors have to be 0.
class ColumnGroup {
 public:
  // @param column_of the table's column of each of `count`
  template <typename ColumnOf>
  ColumnGroup(const Eigen::MatrixXd& prices, Eigen::Index first, Eigen::Index count, ColumnOf column_of) {
    for (Eigen::Index c = 0; c < columns_together; ++c) {
      const auto data = [&](Eigen::Index at) {
        return prices.data() + column_of(std::min(at, count - 1)) * prices.rows();
      };
      prices_[std::size_t(c)] = data(first + c);
      next_[std::size_t(c)] = data(first + columns_together + c);
      later_[std::size_t(c)] = data(first + groups_ahead * columns_together + c);
    }
  }

  using Factors = std::array<double, columns_together>;

  // The prices of a row.
  template <typename Figures>
  [[nodiscard]] Figures row(std::size_t row) const {
    return {prices_[0][row], prices_[1][row], prices_[2][row], prices_[3][row]};
  }

  // Adds each column times its factor, of `rows` rows from `from` on.
  void add(std::size_t from, Eigen::Index rows, const Factors& factors, double* sums) const {
    each(from, rows, [&]<typename Rows>(Eigen::Index t, const Rows& a, const Rows& b, const Rows& c, const Rows& d) {
      Eigen::Map<Rows>(sums + t) += (factors[0] * a + factors[1] * b) + (factors[2] * c + factors[3] * d);
    });
  }

  // The same, and the least prices; the group after this one is asked for meanwhile.
  void add(std::size_t from, Eigen::Index rows, const Factors& factors, double* sums, double* least) const {
    each(from, rows, [&]<typename Rows>(Eigen::Index t, const Rows& a, const Rows& b, const Rows& c, const Rows& d) {
      fetch(from + std::size_t(t));
      Eigen::Map<Rows>(sums + t) += (factors[0] * a + factors[1] * b) + (factors[2] * c + factors[3] * d);
      Eigen::Map<Rows>(least + t) = Eigen::Map<Rows>(least + t).min(a.min(b).min(c.min(d)));
    });
  }

  // Asks for a few rows of a group that comes later: short pieces of columns are far apart.
  void fetch_ahead([[maybe_unused]] std::size_t from, [[maybe_unused]] Eigen::Index rows) const {
#ifdef __GNUC__
    for (const double* column : later_) {
      for (Eigen::Index t = 0; t < rows + doubles_of_a_line; t += doubles_of_a_line) {
        __builtin_prefetch(column + from + t);
      }
    }
#endif
  }

 private:
  // A few rows at a time, whose figures stay in registers.
  template <typename Work>
  void each(std::size_t from, Eigen::Index rows, Work work) const {
    Eigen::Index t = 0;
    for (; t + few <= rows; t += few) call<Eigen::Array<double, few, 1>>(from, t, work);
    for (; t < rows; ++t) call<Eigen::Array<double, 1, 1>>(from, t, work);
  }
  template <typename Rows, typename Work>
  void call(std::size_t from, Eigen::Index t, Work work) const {
    const auto rows = [&](std::size_t c) -> Rows { return Eigen::Map<const Rows>(prices_[c] + from + t); };
    work(t, rows(0), rows(1), rows(2), rows(3));
  }

  void fetch([[maybe_unused]] std::size_t row) const {
#ifdef __GNUC__
    for (const double* next : next_) __builtin_prefetch(next + row);
#endif
  }

  static constexpr Eigen::Index few = 2, groups_ahead = 6, doubles_of_a_line = 8;
  std::array<const double*, columns_together> prices_{}, next_{}, later_{};
};

}  // namespace inchtide
