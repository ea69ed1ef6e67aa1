#pragma once
// A table of given returns, without holes: assets A, B, C, ..., a day a row.

#include <string>

#include "inchtide/returns/return_table.hpp"

namespace inchtide::test {

inline ReturnTable table_of(const Eigen::MatrixXd& returns) {
  ReturnTable table;
  for (Eigen::Index t = 0; t < returns.rows(); ++t) table.days.push_back(Day{std::chrono::days{t}});
  for (Eigen::Index i = 0; i < returns.cols(); ++i) table.assets.push_back(std::string(1, char('A' + i)));
  table.returns = returns;
  table.spans = Eigen::MatrixXi::Ones(returns.rows(), returns.cols());
  return table;
}

}  // namespace inchtide::test
