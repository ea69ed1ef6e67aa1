#pragma once

namespace inchtide {

/// Of the library, and of what it writes. The build takes it from here.
inline constexpr const char* version = "0.1.0";

}  // namespace inchtide
