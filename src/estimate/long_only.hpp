#pragma once
// The long-only portfolio whose returns come nearest to a series.

#include <Eigen/Core>

namespace inchtide {

// The b >= 0 with the least b'Gb/2 - h'b, where G holds the products of the assets' returns around their means with
// each other and h those with the series: least squares that sell nothing short. Few weights are above 0 where assets
// are many, which is what keeps it from fitting chance. By the active set of Lawson and Hanson (1974): what pays most
// comes in, what would be sold short on the way goes out. An asset that is a mix of those held, but for rounding, stays
// out.
Eigen::VectorXd nearest_long_only(const Eigen::MatrixXd& products, const Eigen::VectorXd& with_series);

}  // namespace inchtide
