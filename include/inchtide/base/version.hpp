#pragma once
/// The version of the library.
///
/// @code
/// #include <cassert>
/// #include <string>
/// assert(std::string(inchtide::version).find('.') != std::string::npos);
/// @endcode

namespace inchtide {

/// Of the library, and of what it writes. The build takes it from here.
inline constexpr const char* version = "0.1.0";

}  // namespace inchtide
