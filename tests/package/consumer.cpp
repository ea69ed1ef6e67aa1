#include <cstdio>

#include "inchtide/base/percent.hpp"

int main() {
  std::puts(inchtide::percent_text(0.5).c_str());
}
