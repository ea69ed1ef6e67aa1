#include "fields.hpp"

#include <algorithm>

#include "inchtide/exchange/files.hpp"

namespace inchtide::exchange {

nlohmann::json read_json_file(const std::filesystem::path& path, const std::string& remedy) {
  const auto content = read_text_file(path);
  if (is_too_deep(content)) {
    throw InputError(Where::in_file(path.string()), fmt::format("it is nested more than {} levels deep", deepest_level),
                     remedy);
  }
  try {
    return nlohmann::json::parse(content);
  } catch (const nlohmann::json::out_of_range&) {
    throw InputError(Where::in_file(path.string()), "it is not JSON: a number is too large",
                     "Write it anew, or check it there");
  } catch (const nlohmann::json::parse_error& error) {
    const auto line =
        1 + std::count(content.begin(), content.begin() + std::ptrdiff_t(std::min(error.byte, content.size())), '\n');
    throw InputError(Where::in_file(path.string(), line), "it is not JSON", "Write it anew, or check it there");
  }
}

}  // namespace inchtide::exchange
