#pragma once
// Sums along the rows of a few columns at a time, so that they are read and written once for all of them. A row's sum
// is in the order of these groups, wherever a piece begins.

#include <algorithm>
#include <array>
#include <cstddef>

#include "inchtide/base/eigen.hpp"

namespace inchtide {

inline constexpr Eigen::Index columns_together = 8;

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
    }
  }

  using Factors = std::array<double, columns_together>;

  // Adds each column times its factor, of `rows` rows from `from` on.
  void add(std::size_t from, Eigen::Index rows, Factors factors, double* sums) const {
    const auto columns = columns_at(from);
    Eigen::Index t = 0;
    for (; t + few <= rows; t += few) add_rows<Few>(columns, t, factors, sums);
    for (; t < rows; ++t) add_rows<One>(columns, t, factors, sums);
  }

  // The same, and `least` is the least price that was met; the group after this one is asked for meanwhile.
  void add(std::size_t from, Eigen::Index rows, Factors factors, double* sums, double& least) const {
    const auto columns = columns_at(from);
    if (rows > 0) fetch(from + std::size_t(rows) - 1);
    Few lowest = Few::Constant(least);
    Eigen::Index t = 0;
    for (; t + few <= rows; t += few) {
      if (t % doubles_of_a_line == 0) fetch(from + std::size_t(t));
      lowest = lowest.min(least_of<Few>(columns, t));
      add_rows<Few>(columns, t, factors, sums);
    }
    least = lowest.minCoeff();
    for (; t < rows; ++t) {
      least = std::min(least, least_of<One>(columns, t)[0]);
      add_rows<One>(columns, t, factors, sums);
    }
  }

  // The least and the largest of each column's prices times the figures of their rows, of which there is one.
  void ranges(std::size_t from, Eigen::Index rows, const double* figures, Factors& least, Factors& most) const {
    const auto columns = columns_at(from);
    for (std::size_t c = 0; c < columns.size(); c += 4) {
      ranges_of_four(columns.data() + c, rows, figures, least.data() + c, most.data() + c);
    }
  }

  // The prices of a row.
  [[nodiscard]] Factors on(std::size_t row) const {
    Factors prices;
    for (std::size_t c = 0; c < prices.size(); ++c) prices[c] = prices_[c][row];
    return prices;
  }

 private:
  using Columns = std::array<const double*, columns_together>;
  static constexpr Eigen::Index few = 2, doubles_of_a_line = 8;
  using Few = Eigen::Array<double, few, 1>;  // rows at a time, whose figures stay in registers
  using One = Eigen::Array<double, 1, 1>;

  [[nodiscard]] Columns columns_at(std::size_t row) const {
    auto columns = prices_;
    for (auto& column : columns) column += row;
    return columns;
  }

  template <typename Rows>
  static EIGEN_ALWAYS_INLINE void add_rows(const Columns& columns, Eigen::Index t, const Factors& f, double* sums) {
    const auto of = [&](std::size_t c) __attribute__((always_inline)) {
      return f[c] * Eigen::Map<const Rows>(columns[c] + t);
    };
    Eigen::Map<Rows>(sums + t) += ((of(0) + of(1)) + (of(2) + of(3))) + ((of(4) + of(5)) + (of(6) + of(7)));
  }

  template <typename Rows>
  [[nodiscard]] static EIGEN_ALWAYS_INLINE Rows least_of(const Columns& columns, Eigen::Index t) {
    const auto of = [&](std::size_t c) __attribute__((always_inline)) {
      return Eigen::Map<const Rows>(columns[c] + t);
    };
    return (of(0).min(of(1))).min(of(2).min(of(3))).min((of(4).min(of(5))).min(of(6).min(of(7))));
  }

  // As many as registers hold. An odd row at the end is looked at with the one before it.
  static void ranges_of_four(const double* const* columns, Eigen::Index rows, const double* figures, double* least,
                             double* most) {
    std::array<Few, 4> low, high;
    for (std::size_t c = 0; c < 4; ++c) low[c] = high[c] = Few::Constant(columns[c][0] * figures[0]);
    for (Eigen::Index t = 0; t + 1 < rows; t = t + 2 < rows ? std::min(t + few, rows - few) : rows) {
      const auto look = [&](std::size_t c) __attribute__((always_inline)) {
        const Few scaled = Eigen::Map<const Few>(columns[c] + t) * Eigen::Map<const Few>(figures + t);
        low[c] = low[c].min(scaled);
        high[c] = high[c].max(scaled);
      };
      look(0), look(1), look(2), look(3);
    }
    for (std::size_t c = 0; c < 4; ++c) {
      least[c] = low[c].minCoeff();
      most[c] = high[c].maxCoeff();
    }
  }

  void fetch([[maybe_unused]] std::size_t row) const {
#ifdef __GNUC__
    for (const double* next : next_) __builtin_prefetch(next + row);
#endif
  }

  Columns prices_{}, next_{};
};

}  // namespace inchtide
