#pragma once
// The few BLAS and LAPACK routines that the core calls, by their Fortran names, which every BLAS has. Matrices are
// column-major with leading dimension equal to their rows unless said. All calls run on one thread.

#include <Eigen/Core>

extern "C" {
void dgemv_(const char* trans, const int* m, const int* n, const double* alpha, const double* a, const int* lda,
            const double* x, const int* incx, const double* beta, double* y, const int* incy);
void dsyrk_(const char* uplo, const char* trans, const int* n, const int* k, const double* alpha, const double* a,
            const int* lda, const double* beta, double* c, const int* ldc);
void dger_(const int* m, const int* n, const double* alpha, const double* x, const int* incx, const double* y,
           const int* incy, double* a, const int* lda);
void dpotrf_(const char* uplo, const int* n, double* a, const int* lda, int* info);
// Present in OpenBLAS only; null with another BLAS.
void openblas_set_num_threads(int threads) __attribute__((weak));
}

namespace inchtide::blas {

/// Parallelism is the library's own: a threaded BLAS is told to use one thread before its first use.
inline void use_one_thread() {
  static const bool done = [] {
    if (openblas_set_num_threads != nullptr) openblas_set_num_threads(1);
    return true;
  }();
  (void)done;
}

/// y = alpha A x + beta y, with A the `rows` x `columns` matrix at `a` of leading dimension `stride`.
inline void multiply(int rows, int columns, double alpha, const double* a, int stride, const double* x, double beta,
                     double* y) {
  const int one = 1;
  if (rows > 0) dgemv_("N", &rows, &columns, &alpha, a, &stride, x, &one, &beta, y, &one);
}

/// y = alpha A' x + beta y.
inline void multiply_transposed(int rows, int columns, double alpha, const double* a, int stride, const double* x,
                                double beta, double* y) {
  const int one = 1;
  if (columns > 0) dgemv_("T", &rows, &columns, &alpha, a, &stride, x, &one, &beta, y, &one);
}

/// A += alpha x x', `size` x `size` with leading dimension `stride`.
inline void add_outer(int size, double alpha, const double* x, double* a, int stride) {
  const int one = 1;
  dger_(&size, &size, &alpha, x, &one, x, &one, a, &stride);
}

/// Replaces the lower half of a symmetric matrix by its Cholesky factor. False when it has none.
inline bool factorise(Eigen::MatrixXd& a) {
  use_one_thread();
  const int n = int(a.rows());
  int info = 0;
  dpotrf_("L", &n, a.data(), &n, &info);
  return info == 0;
}

/// alpha A'A as a full symmetric matrix.
inline Eigen::MatrixXd gram(const Eigen::MatrixXd& a, double alpha) {
  use_one_thread();
  const int n = int(a.cols()), k = int(a.rows());
  Eigen::MatrixXd c = Eigen::MatrixXd::Zero(n, n);
  const double zero = 0;
  if (n > 0 && k > 0) dsyrk_("L", "T", &n, &k, &alpha, a.data(), &k, &zero, c.data(), &n);
  for (int j = 1; j < n; ++j) {
    for (int i = 0; i < j; ++i) c(i, j) = c(j, i);
  }
  return c;
}

}  // namespace inchtide::blas
