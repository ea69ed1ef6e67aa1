// A table as people read it: aligned columns, folded where a line would be too long.

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <functional>
#include <numeric>
#include <sstream>

#include "inchtide/base/text.hpp"
#include "inchtide/report/table.hpp"
#include "report/heading.hpp"

namespace inchtide::report {
namespace {

/// Headings of up to this many characters aren't folded.
constexpr std::size_t narrowest_heading = 9;
/// Texts that give way to the rest of their table keep this many a line.
constexpr std::size_t narrowest_text = 28;
constexpr std::size_t gap = 2;  // between columns
/// Names of fewer parts are read whole.
constexpr std::size_t fewest_parts = 3;

using Lines = std::vector<std::string>;

/// The number of characters that a UTF-8 text shows.
std::size_t width_of(std::string_view text) {
  return std::size_t(
      std::ranges::count_if(text, [](char c) { return (static_cast<unsigned char>(c) & 0xC0) != 0x80; }));
}

std::size_t width_of(const Lines& lines) {
  std::size_t width = 0;
  for (const auto& line : lines) width = std::max(width, width_of(line));
  return width;
}

std::string padded(const std::string& text, std::size_t width, bool right) {
  const std::string space(width - std::min(width, width_of(text)), ' ');
  return right ? space + text : text + space;
}

/// On several lines, broken between words. A word that is longer has a line of its own, and where `widens` the others
/// may be as long.
Lines folded(const std::string& text, std::size_t width, bool widens = false) {
  Lines lines;
  std::istringstream words(text);
  for (std::string word; words >> word;) {
    if (!lines.empty() && width_of(lines.back()) + 1 + width_of(word) <= width) {
      lines.back() += " " + word;
    } else {
      lines.push_back(word);
      if (widens) width = std::max(width, width_of(word));
    }
  }
  if (lines.empty()) lines.emplace_back();
  return lines;
}

struct TextColumn {
  Lines heading;
  std::vector<Lines> cells;
  std::size_t width = 0;
  bool right = false, is_text = false;
};

TextColumn column_of(const Table& table, std::size_t c, std::size_t rows) {
  TextColumn column;
  const auto format = format_of(table, c);
  column.is_text = format == Format::text;
  column.right = !column.is_text && format != Format::day;
  for (std::size_t r = 0; r < rows; ++r) {
    column.cells.push_back({shown(table.rows[r][c], format)});
    column.width = std::max(column.width, width_of(column.cells.back()));
  }
  column.heading = folded(heading(table.columns[c]), std::max(column.width, narrowest_heading), true);
  column.width = std::max(column.width, width_of(column.heading));
  return column;
}

Lines parts_of(const std::string& name) {
  Lines parts;
  for (std::size_t begin = 0, end = 0; end != name.npos; begin = end + 2) {
    end = name.find(", ", begin);
    parts.push_back(name.substr(begin, end == name.npos ? end : end - begin));
  }
  return parts;
}

/// Takes out of names of many parts, such as those of a grid's runs, what all of them share, and returns that.
std::string take_shared_parts(TextColumn& column) {
  std::vector<Lines> names;
  for (const auto& cell : column.cells) names.push_back(parts_of(cell.front()));
  if (names.size() < 2 || names.front().size() < fewest_parts) return "";
  for (const auto& name : names) {
    if (name.size() != names.front().size()) return "";
  }
  Lines shared;
  for (auto k = names.front().size(); k-- > 0;) {
    const auto part = names.front()[k];
    if (!std::ranges::all_of(names, [&](const Lines& name) { return name[k] == part; })) continue;
    shared.insert(shared.begin(), part);
    for (auto& name : names) name.erase(name.begin() + std::ptrdiff_t(k));
  }
  if (shared.empty() || names.front().empty()) return "";
  column.width = width_of(column.heading);
  for (std::size_t r = 0; r < names.size(); ++r) {
    column.cells[r] = {fmt::format("{}", fmt::join(names[r], ", "))};
    column.width = std::max(column.width, width_of(column.cells[r]));
  }
  return fmt::format("{}", fmt::join(shared, ", "));
}

std::size_t whole_width(const std::vector<TextColumn>& columns) {
  std::size_t width = 0;
  for (const auto& column : columns) width += column.width + gap;
  return width - std::min(width, gap);
}

/// What a row is known by: its texts at the left, where they leave room for the rest.
std::size_t keys_of(const std::vector<TextColumn>& columns, std::size_t most) {
  std::size_t keys = 1, width = columns.empty() ? 0 : columns[0].width;
  while (keys < columns.size() && columns[keys].is_text && (width += gap + columns[keys].width) <= most / 2) ++keys;
  return keys;
}

void fold(TextColumn& column, std::size_t width) {
  column.width = width_of(column.heading);
  for (auto& cell : column.cells) {
    cell = folded(cell.front(), width);
    column.width = std::max(column.width, width_of(cell));
  }
}

/// Texts behind the keys are folded as far as it takes, the widest first; whether that is enough.
bool fold_texts(std::vector<TextColumn>& columns, std::size_t keys, std::size_t most) {
  std::vector<std::size_t> texts;
  for (std::size_t c = keys; c < columns.size(); ++c) {
    if (columns[c].is_text && columns[c].width > narrowest_text) texts.push_back(c);
  }
  std::ranges::sort(texts, std::greater(), [&](std::size_t c) { return columns[c].width; });
  for (const auto c : texts) {
    const auto whole = whole_width(columns);
    if (whole <= most) break;
    fold(columns[c], std::max(narrowest_text, columns[c].width - std::min(columns[c].width, whole - most)));
  }
  return whole_width(columns) <= most;
}

using Blocks = std::vector<std::vector<std::size_t>>;

/// Columns side by side; what has no room goes on below, behind the keys again.
Blocks blocks_of(std::vector<TextColumn>& columns, std::size_t keys, std::size_t most) {
  std::vector<std::size_t> first(keys);
  std::iota(first.begin(), first.end(), std::size_t(0));
  std::size_t keys_width = 0;
  for (const auto c : first) keys_width += columns[c].width + gap;
  Blocks blocks{first};
  auto width = keys_width;
  for (auto c = keys; c < columns.size(); ++c) {
    const auto room = most - std::min(most, keys_width);
    if (columns[c].is_text && columns[c].width > room) fold(columns[c], std::max(narrowest_text, room));
    if (blocks.back().size() > keys && width + columns[c].width > most) {
      blocks.push_back(first);
      width = keys_width;
    }
    blocks.back().push_back(c);
    width += columns[c].width + gap;
  }
  return blocks;
}

/// In one block where the columns have room, folded or not.
Blocks laid_out(std::vector<TextColumn>& columns, std::size_t most) {
  Blocks one(1);
  for (std::size_t c = 0; c < columns.size(); ++c) one[0].push_back(c);
  if (most == 0 || whole_width(columns) <= most) return one;
  const auto keys = keys_of(columns, most);
  auto narrower = columns;
  if (fold_texts(narrower, keys, most)) {
    columns = std::move(narrower);
    return one;
  }
  // What a row is known by leaves room for figures.
  const auto least = std::max(narrowest_text, most * 2 / 5), width = columns[0].width;
  if (keys == 1 && columns[0].is_text && width > least) {
    fold(columns[0], std::max(least, width - std::min(width, whole_width(columns) - most)));
  }
  return whole_width(columns) <= most ? one : blocks_of(columns, keys, most);
}

class Writer {
 public:
  explicit Writer(std::vector<TextColumn> columns) : columns_(std::move(columns)) {}

  std::string block(const std::vector<std::size_t>& which, std::size_t rows) const {
    std::size_t deepest = 0;
    for (const auto c : which) deepest = std::max(deepest, columns_[c].heading.size());
    std::string text;
    for (std::size_t k = 0; k < deepest; ++k) {
      text += line(which, [&](const TextColumn& column) {  // short headings stand at the bottom
        const auto above = deepest - column.heading.size();
        return k < above ? std::string() : column.heading[k - above];
      });
    }
    text += line(which, [](const TextColumn& column) { return std::string(column.width, '-'); });
    for (std::size_t r = 0; r < rows; ++r) {
      std::size_t lines = 1;
      for (const auto c : which) lines = std::max(lines, columns_[c].cells[r].size());
      for (std::size_t k = 0; k < lines; ++k) {
        text += line(which, [&](const TextColumn& column) {
          return k < column.cells[r].size() ? column.cells[r][k] : std::string();
        });
      }
    }
    return text;
  }

 private:
  template <typename TextOf>
  std::string line(const std::vector<std::size_t>& which, TextOf text_of) const {
    std::string text;
    for (const auto c : which) {
      if (c != which.front()) text += std::string(gap, ' ');
      text += padded(text_of(columns_[c]), columns_[c].width, columns_[c].right);
    }
    text.erase(text.find_last_not_of(' ') + 1);
    return text + "\n";
  }

  std::vector<TextColumn> columns_;
};

std::string note_text(const std::string& note, std::size_t most) {
  return in_lines("  " + note, most, "    ");
}

}  // namespace

std::string in_lines(const std::string& words, std::size_t width, const std::string& indent) {
  if (width == 0) return words + "\n";
  const auto begin = std::min(words.find_first_not_of(' '), words.size());
  std::string text;
  for (const auto& line : folded(words, width - std::min(width, std::max(begin, indent.size())))) {
    text += (text.empty() ? std::string(begin, ' ') : indent) + line + "\n";
  }
  return text;
}

std::string to_text(const Table& whole, const SpeltMeans& spelt, const TextStyle& style) {
  if (whole.preview && *whole.preview < whole.rows.size()) {
    auto last = whole;
    last.preview.reset();
    last.rows.erase(last.rows.begin(), last.rows.end() - std::ptrdiff_t(*whole.preview));
    last.notes.insert(
        last.notes.begin(),
        {{},
         fmt::format("The last {} of {} rows", *whole.preview, with_thousands(double(whole.rows.size()))),
         {{Means::table_files, "All are in tables written to files"}, {Means::workbook, "to a spreadsheet"}}});
    return to_text(last, spelt, style);
  }
  const bool cut = style.rows > 0 && whole.rows.size() > style.rows;
  const auto rows = cut ? style.rows : whole.rows.size();
  std::vector<TextColumn> columns;
  for (std::size_t c = 0; c < whole.columns.size(); ++c) columns.push_back(column_of(whole, c, rows));
  std::string shared;
  if (style.width > 0 && whole_width(columns) > style.width && columns.front().is_text) {
    shared = take_shared_parts(columns.front());
  }
  const auto blocks = laid_out(columns, style.width);
  const Writer writer(std::move(columns));
  std::string text;
  if (!whole.title.empty()) text = whole.title + "\n";
  for (const auto& block : blocks) {
    if (&block != &blocks.front()) text += "\n";
    text += writer.block(block, rows);
  }
  if (!shared.empty())
    text += note_text((cut ? "In every row that is shown: " : "In every row: ") + shared, style.width);
  if (cut) {
    const auto more = with_thousands(double(whole.rows.size() - rows));
    text += note_text(fmt::format("{} more rows{}{}", more, style.rest.empty() ? "" : ": ", style.rest), style.width);
  }
  for (const auto& note : whole.notes) text += note_text(note.text(spelt), style.width);
  return text;
}

}  // namespace inchtide::report
