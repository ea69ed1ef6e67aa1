// Loaded before the tool's libraries: one of their functions has a fault, so that what the tool makes of it is seen.

#include <stdexcept>

extern "C" int csv_init(void*, unsigned char) {
  throw std::logic_error("a broken part");
}
