#include <gmock/gmock.h>

#include "inchtide/base/blas_threads.hpp"

int main(int count, char** arguments) {
  inchtide::use_one_blas_thread();
  testing::InitGoogleMock(&count, arguments);
  return RUN_ALL_TESTS();
}
