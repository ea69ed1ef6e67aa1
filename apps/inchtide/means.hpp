#pragma once
// How the means of a remedy are spelt on the command line.

#include "inchtide/base/errors.hpp"

namespace CLI {
class App;
}

namespace inchtide::app {

// The option of a command for each means that it has one for; "inchtide gather" and the mandate's tables everywhere.
SpeltMeans means_of(const CLI::App& command);

}  // namespace inchtide::app
