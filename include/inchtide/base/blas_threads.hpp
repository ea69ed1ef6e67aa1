#pragma once
/// Threads of the linear algebra beneath the library.
///
/// @code
/// #include <cassert>
/// inchtide::use_one_blas_thread();  // at the start of a program that wants equal bits
/// @endcode

#include "inchtide/base/api.hpp"

namespace inchtide {

/// Tells a BLAS that has threads of its own (OpenBLAS) to use one in this process. Results are the same bits on every
/// run only then, and many small problems are faster. The library never does this itself, as a process belongs to its
/// program: one that wants equal bits calls it at its start. Does nothing with a BLAS that has no such switch.
INCHTIDE_API void use_one_blas_thread();

}  // namespace inchtide
