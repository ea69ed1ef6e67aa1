#pragma once
// Weights as areas that lie on each other.

#include <string>
#include <vector>

#include "inchtide/base/eigen.hpp"
#include "inchtide/report/chart.hpp"

namespace inchtide::report {

// The parts of a stack: what is held long upward from 0, what is short downward.
class Stack {
 public:
  // @param count of the places along x
  Stack(Along x, std::size_t count) : x_(std::move(x)), above_(count, 0), below_(count, 0) {}

  // An asset's weights along x, above and below 0 where it has any there; colours are solid, then hatched, then pale.
  void lay(Chart& chart, const std::string& asset, const Eigen::VectorXd& weights);

 private:
  Along x_;
  std::vector<double> above_, below_;
  std::size_t used_ = 0;
};

}  // namespace inchtide::report
