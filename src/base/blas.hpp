#pragma once
// The few BLAS and LAPACK routines that the core calls, by their Fortran names, which every BLAS has. Matrices are
// column-major with leading dimension equal to their rows unless said. How many threads they use is the program's
// choice (inchtide/base/blas_threads.hpp).

#include <Eigen/Core>
#include <algorithm>
#include <mutex>
#include <stdexcept>
#include <vector>

extern "C" {
void dgemv_(const char* trans, const int* m, const int* n, const double* alpha, const double* a, const int* lda,
            const double* x, const int* incx, const double* beta, double* y, const int* incy);
void daxpy_(const int* n, const double* alpha, const double* x, const int* incx, double* y, const int* incy);
void dsyrk_(const char* uplo, const char* trans, const int* n, const int* k, const double* alpha, const double* a,
            const int* lda, const double* beta, double* c, const int* ldc);
void dsyr2k_(const char* uplo, const char* trans, const int* n, const int* k, const double* alpha, const double* a,
             const int* lda, const double* b, const int* ldb, const double* beta, double* c, const int* ldc);
void dsymv_(const char* uplo, const int* n, const double* alpha, const double* a, const int* lda, const double* x,
            const int* incx, const double* beta, double* y, const int* incy);
void dsyr_(const char* uplo, const int* n, const double* alpha, const double* x, const int* incx, double* a,
           const int* lda);
void dgemm_(const char* transa, const char* transb, const int* m, const int* n, const int* k, const double* alpha,
            const double* a, const int* lda, const double* b, const int* ldb, const double* beta, double* c,
            const int* ldc);
void dpotrf_(const char* uplo, const int* n, double* a, const int* lda, int* info);
void dsyevd_(const char* jobz, const char* uplo, const int* n, double* a, const int* lda, double* w, double* work,
             const int* lwork, int* iwork, const int* liwork, int* info);
}

namespace inchtide::blas {

// An OpenBLAS that was built for one thread shares its work space among callers without a lock: two threads that call
// it at once get wrong figures. With such a one calls take turns; null with any other.
std::mutex* turns();

class Turn {
 public:
  Turn() : mutex_(turns()) {
    if (mutex_ != nullptr) mutex_->lock();
  }
  ~Turn() {
    if (mutex_ != nullptr) mutex_->unlock();
  }
  Turn(const Turn&) = delete;
  Turn& operator=(const Turn&) = delete;

 private:
  std::mutex* mutex_;
};

/// y = alpha A x + beta y, with A the `rows` x `columns` matrix at `a` of leading dimension `stride`.
inline void multiply(int rows, int columns, double alpha, const double* a, int stride, const double* x, double beta,
                     double* y) {
  const int one = 1;
  const Turn turn;
  if (rows > 0) dgemv_("N", &rows, &columns, &alpha, a, &stride, x, &one, &beta, y, &one);
}

/// y += alpha x.
inline void add(int size, double alpha, const double* x, double* y) {
  const int one = 1;
  daxpy_(&size, &alpha, x, &one, y, &one);
}

/// y = alpha A' x + beta y.
inline void multiply_transposed(int rows, int columns, double alpha, const double* a, int stride, const double* x,
                                double beta, double* y) {
  const int one = 1;
  const Turn turn;
  if (columns > 0) dgemv_("T", &rows, &columns, &alpha, a, &stride, x, &one, &beta, y, &one);
}

/// y = A x, with A the symmetric `size` x `size` matrix whose lower half is at `a` with leading dimension `stride`.
inline void multiply_symmetric(int size, const double* a, int stride, const double* x, double* y) {
  const int one = 1;
  const double alpha = 1, beta = 0;
  const Turn turn;
  if (size > 0) dsymv_("L", &size, &alpha, a, &stride, x, &one, &beta, y, &one);
}

/// A column of the leading `size` x `size` symmetric matrix of which `a` keeps the lower half.
inline Eigen::VectorXd symmetric_column(const Eigen::MatrixXd& a, Eigen::Index size, Eigen::Index column) {
  Eigen::VectorXd whole(size);
  whole.head(column) = a.row(column).head(column);
  whole.tail(size - column) = a.col(column).segment(column, size - column);
  return whole;
}

/// A += alpha x x', the lower half of A only, `size` x `size` with leading dimension `stride`.
inline void add_outer(int size, double alpha, const double* x, double* a, int stride) {
  const int one = 1;
  const Turn turn;
  dsyr_("L", &size, &alpha, x, &one, a, &stride);
}

/// Replaces the lower half of a symmetric matrix by its Cholesky factor. False when it has none.
inline bool factorise(Eigen::MatrixXd& a) {
  const int n = int(a.rows());
  int info = 0;
  const Turn turn;
  dpotrf_("L", &n, a.data(), &n, &info);
  return info == 0;
}

/// Copies the lower half of a square matrix into its upper half, in blocks that stay in the cache.
inline void mirror_lower(Eigen::MatrixXd& c) {
  constexpr Eigen::Index block = 32;
  const auto n = c.rows();
  for (Eigen::Index j = 0; j < n; j += block) {
    const auto columns = std::min(block, n - j);
    for (Eigen::Index a = j; a < j + columns; ++a) {
      for (Eigen::Index b = a + 1; b < j + columns; ++b) c(a, b) = c(b, a);
    }
    for (Eigen::Index i = j + block; i < n; i += block) {
      const auto rows = std::min(block, n - i);
      c.block(j, i, columns, rows) = c.block(i, j, rows, columns).transpose();
    }
  }
}

/// alpha A'A as a full symmetric matrix.
inline Eigen::MatrixXd gram(const Eigen::MatrixXd& a, double alpha) {
  const int n = int(a.cols()), k = int(a.rows());
  Eigen::MatrixXd c = Eigen::MatrixXd::Zero(n, n);
  const double zero = 0;
  const Turn turn;
  if (n > 0 && k > 0) dsyrk_("L", "T", &n, &k, &alpha, a.data(), &k, &zero, c.data(), &n);
  mirror_lower(c);
  return c;
}

/// C += alpha A'A, the lower half of C only.
inline void add_gram(const Eigen::MatrixXd& a, double alpha, Eigen::MatrixXd& c) {
  const int n = int(a.cols()), k = int(a.rows());
  const double one = 1;
  const Turn turn;
  if (n > 0 && k > 0) dsyrk_("L", "T", &n, &k, &alpha, a.data(), &k, &one, c.data(), &n);
}

/// C += alpha (A B' + B A'), the lower half of C only.
inline void add_cross_products(const Eigen::MatrixXd& a, const Eigen::MatrixXd& b, double alpha, Eigen::MatrixXd& c) {
  const int n = int(a.rows()), k = int(a.cols());
  const double one = 1;
  const Turn turn;
  if (n > 0 && k > 0) dsyr2k_("L", "N", &n, &k, &alpha, a.data(), &n, b.data(), &n, &one, c.data(), &n);
}

/// A B.
inline Eigen::MatrixXd product(const Eigen::MatrixXd& a, const Eigen::MatrixXd& b) {
  const int m = int(a.rows()), n = int(b.cols()), k = int(a.cols());
  Eigen::MatrixXd c = Eigen::MatrixXd::Zero(m, n);
  const double one = 1, zero = 0;
  const Turn turn;
  if (m > 0 && n > 0 && k > 0) dgemm_("N", "N", &m, &n, &k, &one, a.data(), &m, b.data(), &k, &zero, c.data(), &m);
  return c;
}

/// Eigenvalues, ascending, and eigenvectors (columns) of a symmetric matrix; the largest entry of each is positive, as
/// either sign would do and the order of rows would choose it.
struct Eigenpairs {
  Eigen::VectorXd values;
  Eigen::MatrixXd vectors;
};
inline Eigenpairs eigen_symmetric(Eigen::MatrixXd a) {
  const int n = int(a.rows());
  Eigenpairs pairs{Eigen::VectorXd(n), {}};
  int info = 0, wanted = -1, integers = 0;
  double work_size = 0;
  const Turn turn;
  dsyevd_("V", "L", &n, a.data(), &n, pairs.values.data(), &work_size, &wanted, &integers, &wanted, &info);
  const int size = int(work_size);
  std::vector<double> work(static_cast<std::size_t>(size));
  std::vector<int> integer_work(static_cast<std::size_t>(integers));
  dsyevd_("V", "L", &n, a.data(), &n, pairs.values.data(), work.data(), &size, integer_work.data(), &integers, &info);
  if (info != 0) throw std::runtime_error("the eigenvalues of a covariance could not be found");
  pairs.vectors = std::move(a);
  for (auto column : pairs.vectors.colwise()) {
    Eigen::Index largest = 0;
    column.cwiseAbs().maxCoeff(&largest);
    if (column[largest] < 0) column = -column;
  }
  return pairs;
}

}  // namespace inchtide::blas
