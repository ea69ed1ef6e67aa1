#pragma once

namespace inchtide::report {

/// The version that every JSON document carries.
inline constexpr const char* version = "0.1.0";

}  // namespace inchtide::report
