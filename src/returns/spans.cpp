#include "returns/spans.hpp"

#include <cmath>

namespace inchtide {

std::vector<std::size_t> rows_beside(const ReturnTable& table, const Eigen::VectorXd& benchmark) {
  auto rows = table.common_rows();
  if (benchmark.size() == 0) return rows;
  std::erase_if(rows, [&](std::size_t row) { return !std::isfinite(benchmark[Eigen::Index(row)]); });
  return rows;
}

Spans::Spans(const ReturnTable& table, const std::vector<std::size_t>& rows, Eigen::Index asset)
    : k(Eigen::Index(rows.size())) {
  for (std::size_t t = 0; t < rows.size(); ++t) {
    const int span = table.spans(Eigen::Index(rows[t]), asset);
    k[Eigen::Index(t)] = span;
    single = single && span == 1;
  }
  total = k.sum();
}

Eigen::MatrixXd Spans::as_single(const Eigen::MatrixXd& returns) const {
  if (single) return returns;
  const double scale = std::sqrt(double(k.size() - 1) / degrees());
  const Eigen::RowVectorXd mean = returns.colwise().sum() / total;
  return ((returns - k * mean) * scale).rowwise() + mean;
}

}  // namespace inchtide
