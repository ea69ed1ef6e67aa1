#include "inchtide/base/blas_threads.hpp"

#include "base/blas.hpp"

extern "C" {  // null with another BLAS
void openblas_set_num_threads(int threads) __attribute__((weak));
int openblas_get_parallel() __attribute__((weak));
}

namespace inchtide {

void use_one_blas_thread() {
  if (openblas_set_num_threads != nullptr) openblas_set_num_threads(1);
}

std::mutex* blas::turns() {
  static std::mutex one_at_a_time;
  static std::mutex* const needed =
      openblas_get_parallel != nullptr && openblas_get_parallel() == 0 ? &one_at_a_time : nullptr;
  return needed;
}

}  // namespace inchtide
