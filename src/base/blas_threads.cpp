#include "inchtide/base/blas_threads.hpp"

extern "C" void openblas_set_num_threads(int threads) __attribute__((weak));  // null with another BLAS

namespace inchtide {

void use_one_blas_thread() {
  if (openblas_set_num_threads != nullptr) openblas_set_num_threads(1);
}

}  // namespace inchtide
