#include "inchtide/exchange/csv.hpp"

#include <csv.h>
#include <date/date.h>
#include <fmt/format.h>

#include <algorithm>
#include <cstring>
#include <exception>
#include <memory>
#include <sstream>

#include "base/trimmed.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"
#include "inchtide/base/text.hpp"
#include "inchtide/exchange/files.hpp"

namespace inchtide::exchange {
namespace {

/// Text that a spreadsheet would run when it opens the file.
bool starts_formula(std::string_view text) {
  return !text.empty() && std::string_view("=+-@\t").find(text.front()) != std::string_view::npos;
}

/// Text with one apostrophe or more before a formula's start: written with one more, read with one less.
bool is_guarded(std::string_view text) {
  const auto first = text.find_first_not_of('\'');
  return first != 0 && first != std::string_view::npos && starts_formula(text.substr(first));
}

/// Gathers the cells that libcsv hands over one by one into rows.
struct Reader {
  const std::filesystem::path& path;
  const std::function<void(CsvRow)>& header;
  const std::function<void(std::size_t, CsvRow)>& row;
  const std::vector<bool>& needed;
  bool has_quotes;
  std::size_t line = 1;  // where the next row starts
  std::size_t lines_in_row = 0;
  std::size_t columns = 0;   // 0 until the header is read
  std::size_t headings = 0;  // with those at the end that are empty
  bool blank = true;         // no cell of this row has any text
  bool beyond = false;       // a cell behind the header's last one has
  std::string text;          // the cells of this row that matter, one after another
  std::size_t count = 0;     // of this row's cells so far
  struct Piece {
    std::size_t begin = 0, size = 0;
  };
  std::vector<Piece> pieces;             // where each cell lies in the text; grows to the longest row
  std::vector<std::size_t> kept;         // columns that matter, once the header has said so
  std::vector<char> is_kept;             // by column
  std::vector<std::string_view> cells;   // what is handed over
  std::exception_ptr failure = nullptr;  // an exception must not cross the C library

  void cell(std::string_view value) {
    const auto column = count++;
    blank = blank && value.empty();
    beyond = beyond || (columns > 0 && column >= columns && !value.empty());
    // A line end within a cell needs quotes; most files have none.
    if (has_quotes) lines_in_row += std::size_t(std::ranges::count(value, '\n'));
    if (column < is_kept.size() && is_kept[column] == 0) return;
    keep(column, value);
  }

  [[gnu::noinline]] void keep(std::size_t column, std::string_view value) {
    if (column >= pieces.size()) pieces.resize(column + 1);
    if (value.starts_with('\'') && is_guarded(value)) value.remove_prefix(1);
    pieces[column] = {text.size(), value.size()};
    text += value;
  }

  void end_of_row(int terminator) {
    // Blank lines, and the second half of CRLF, arrive as rows without cells; spreadsheets write rows of empty ones.
    if (!blank && !failure) {
      try {
        hand_over();
      } catch (...) {
        failure = std::current_exception();
      }
    }
    line += lines_in_row + (terminator == '\n' ? 1 : 0);
    lines_in_row = 0;
    blank = true;
    beyond = false;
    count = 0;
    text.clear();
  }

  void hand_over() {
    if (columns == 0) {
      columns = count;
      headings = count;
      while (pieces[columns - 1].size == 0) --columns;  // a comma at the end of each line
      cells.resize(columns);
      for (std::size_t column = 0; column < columns; ++column) kept.push_back(column);
      fill_cells();
      header(cells);
      keep_what_is_needed();
    } else if (beyond && count <= headings) {
      throw InputError(Where::in_file(path.string(), line),
                       fmt::format("a cell has text whose column has no name: the header names {}", columns),
                       "Name the column, or leave it empty");
    } else if (count < columns || beyond) {
      throw InputError(Where::in_file(path.string(), line),
                       fmt::format("the row has {} cells, the header has {}", count, columns),
                       "Give every row as many cells as the header");
    } else {
      fill_cells();
      row(line, cells);
    }
  }

  void fill_cells() {
    for (auto column : kept) {
      cells[column] = std::string_view(text).substr(pieces[column].begin, pieces[column].size);
    }
  }

  void keep_what_is_needed() {
    if (needed.empty()) return;
    kept.clear();
    is_kept.assign(needed.begin(), needed.end());
    std::ranges::fill(cells, std::string_view());
    for (std::size_t column = 0; column < columns; ++column) {
      if (needed[column]) kept.push_back(column);
    }
  }
};

void on_cell(void* data, std::size_t size, void* reader) {
  static_cast<Reader*>(reader)->cell({static_cast<const char*>(data), size});
}

void on_row(int terminator, void* reader) {
  static_cast<Reader*>(reader)->end_of_row(terminator);
}

}  // namespace

namespace {

/// What the header has most of outside quotes: commas, semicolons or tabs.
char separator_of(std::string_view body) {
  std::size_t commas = 0, semicolons = 0, tabs = 0;
  bool quoted = false;
  for (char c : body) {
    if (c == '"') quoted = !quoted;
    if (quoted) continue;
    const bool blank_so_far = commas + semicolons + tabs == 0;
    if ((c == '\n' || c == '\r') && !blank_so_far) break;
    commas += c == ',' ? 1 : 0;
    semicolons += c == ';' ? 1 : 0;
    tabs += c == '\t' ? 1 : 0;
  }
  if (semicolons > commas && semicolons >= tabs) return ';';
  return tabs > commas ? '\t' : ',';
}

/// Without the midnight behind it, as databases and spreadsheets write days: 2024-03-04 00:00:00, 2024-03-04T00:00:00Z.
std::string_view without_midnight(std::string_view text) {
  for (const std::string_view zone : {"", "Z", "+00:00"}) {
    for (const std::string_view time : {"00:00", "00:00:00", "00:00:00.000", "00:00:00.000000"}) {
      if (text.size() <= time.size() + zone.size() || !text.ends_with(zone)) continue;
      const auto rest = text.substr(0, text.size() - zone.size());
      const char before = rest[rest.size() - time.size() - 1];
      if (rest.ends_with(time) && (before == ' ' || before == 'T'))
        return rest.substr(0, rest.size() - time.size() - 1);
    }
  }
  return text;
}

/// Days that aren't ISO but can be read: year first, with the month's name, or in the order that was said.
std::optional<Day> written_day(const std::string& text, CsvStyle::Dates order) {
  std::vector<const char*> formats = {"%Y/%m/%d", "%Y.%m.%d", "%d %b %Y", "%d-%b-%Y", "%b %d, %Y", "%b %d %Y"};
  if (order == CsvStyle::Dates::day_first) formats.insert(formats.end(), {"%d/%m/%Y", "%d.%m.%Y", "%d-%m-%Y"});
  if (order == CsvStyle::Dates::month_first) formats.insert(formats.end(), {"%m/%d/%Y", "%m.%d.%Y", "%m-%d-%Y"});
  if (text.size() == 8 && std::ranges::all_of(text, [](char c) { return c >= '0' && c <= '9'; })) {
    return parse_day(text.substr(0, 4) + "-" + text.substr(4, 2) + "-" + text.substr(6));
  }
  for (const char* format : formats) {
    std::istringstream in(text);
    date::sys_days day;
    in >> date::parse(format, day);
    const bool four_digits = date::year_month_day{day}.year() >= date::year{1000};
    if (!in.fail() && in.peek() == std::istringstream::traits_type::eof() && four_digits) {
      return Day{std::chrono::days{day.time_since_epoch().count()}};
    }
  }
  return std::nullopt;
}

/// A number with groups of three digits: `1,234.56` for mark '.' and groups ",' ".
std::optional<double> grouped_number(std::string_view text, char mark, std::string_view groups) {
  std::string plain;
  std::size_t since_group = 0;
  bool grouped = false, after_mark = false;
  for (char c : text) {
    if (c >= '0' && c <= '9') {
      ++since_group;
      plain += c;
    } else if (c == mark && !after_mark) {
      if (grouped && since_group != 3) return std::nullopt;
      after_mark = true;
      plain += '.';
    } else if (groups.find(c) != std::string_view::npos && !after_mark) {
      if (since_group == 0 || since_group > 3 || (grouped && since_group != 3)) return std::nullopt;
      grouped = true;
      since_group = 0;
    } else if (c == '-' && plain.empty()) {
      plain += c;
    } else {
      return std::nullopt;
    }
  }
  if (grouped && !after_mark && since_group != 3) return std::nullopt;
  return parse_number(plain);
}

}  // namespace

Where cell_place(const std::filesystem::path& path, std::size_t line, std::string_view column) {
  return Where::in_file(path.string(), line, std::string(column));
}

CsvStyle::Dates CsvStyle::parse_dates(std::string_view text, const Where& where) {
  const std::vector<std::string> names = {"iso", "day-first", "month-first"};
  if (const auto found = find_name(text, names)) return Dates(*found);
  throw InputError(where, fmt::format("there is no order of dates '{}'", text), did_you_mean(text, names));
}

CsvStyle::Decimal CsvStyle::parse_decimal(std::string_view text, const Where& where) {
  const std::vector<std::string> names = {"point", "comma"};
  if (const auto found = find_name(text, names)) return *found == 0 ? Decimal::point : Decimal::comma;
  throw InputError(where, fmt::format("there is no decimal mark '{}'", text), did_you_mean(text, names));
}

bool says_none(std::string_view cell) {
  static const std::vector<std::string> ways = {"n/a", "#n/a", "na", "nan", "null", "none", "-"};
  if (cell.empty() || cell.size() > 5 || (cell.front() >= '0' && cell.front() <= '9')) return false;
  return std::ranges::find(ways, lower_name(cell)) != ways.end();
}

Day CsvStyle::day(std::string_view cell, const std::function<Where()>& place) const {
  const auto text = without_midnight(cell);
  if (const auto iso = parse_day(text)) return *iso;
  if (const auto day = written_day(std::string(text), dates)) return *day;
  const auto other = [&](Dates order) { return dates != order && written_day(std::string(text), order); };
  if (other(Dates::day_first) || other(Dates::month_first)) {
    throw InputError(
        place(), fmt::format("'{}' is not an ISO day, and which of its numbers is the month isn't said", excerpt(text)),
        {{Means::date_order, "Say that days come first", "day-first"},
         {Means::date_order, "that months do", "month-first"},
         "write YYYY-MM-DD"});
  }
  throw InputError(place(), fmt::format("'{}' is not a day", excerpt(text)), "Write it as YYYY-MM-DD");
}

std::optional<double> CsvStyle::read_figure(std::string_view text) const {
  if (decimal == Decimal::comma) return grouped_number(text, ',', ".' ");
  if (const auto plain = parse_number(text)) return plain;
  return decimal == Decimal::point ? grouped_number(text, '.', ",' ") : std::nullopt;
}

double CsvStyle::figure(std::string_view text, const std::function<Where()>& place) const {
  if (const auto value = read_figure(text)) return *value;
  const bool comma = decimal == Decimal::comma;
  if (decimal == Decimal::unsaid && (grouped_number(text, ',', ".' ") || grouped_number(text, '.', ",' "))) {
    throw InputError(place(), fmt::format("'{}' can be read in two ways, or not with a decimal point", excerpt(text)),
                     {{Means::decimal_mark, "Say that it is a comma, as in 1.234,56", "comma"},
                      {Means::decimal_mark, "a point, as in 1,234.56", "point"}});
  }
  throw InputError(place(), fmt::format("'{}' is not a number", excerpt(text)),
                   comma ? "Write it as 12,34; a decimal comma was chosen" : "Write it as 12.34");
}

double CsvStyle::share(std::string_view text, const std::function<Where()>& place) const {
  const auto body = trimmed(text);
  if (!body.ends_with('%')) return fraction_from_percent(body, place());
  const auto number = trimmed(body.substr(0, body.size() - 1));
  const auto with_comma = grouped_number(number, ',', "");  // nobody writes thousands of percent
  if (decimal == Decimal::comma) {
    if (with_comma) return *with_comma / 100;
    throw InputError(place(), fmt::format("'{}' is not a percentage", excerpt(body)),
                     "Write it as 12,5%; a decimal comma was chosen");
  }
  if (decimal == Decimal::unsaid && with_comma && !parse_number(number)) (void)figure(number, place);  // which says so
  return fraction_from_percent(body, place());
}

void read_csv(const std::filesystem::path& path, const std::function<void(CsvRow)>& header,
              const std::function<void(std::size_t, CsvRow)>& row) {
  read_csv_text(path, read_text_file(path), header, row);
}

void read_csv_text(const std::filesystem::path& path, std::string_view content,
                   const std::function<void(CsvRow)>& header, const std::function<void(std::size_t, CsvRow)>& row,
                   const std::vector<bool>& needed) {
  std::string_view body = content;
  if (body.starts_with("\xEF\xBB\xBF")) body.remove_prefix(3);
  if (body.starts_with("\xFF\xFE") || body.starts_with("\xFE\xFF")) {
    throw InputError(Where::in_file(path.string()), "it is written in UTF-16", "Save it as CSV in UTF-8");
  }
  Reader reader{path, header, row, needed, body.find('"') != std::string_view::npos};
  csv_parser parser;
  csv_init(&parser, CSV_STRICT | CSV_STRICT_FINI | CSV_REPALL_NL);
  csv_set_delim(&parser, static_cast<unsigned char>(separator_of(body)));
  const std::unique_ptr<csv_parser, void (*)(csv_parser*)> freed(&parser, csv_free);
  const bool parsed = csv_parse(&parser, body.data(), body.size(), on_cell, on_row, &reader) == body.size() &&
                      csv_fini(&parser, on_cell, on_row, &reader) == 0;
  if (reader.failure) std::rethrow_exception(reader.failure);
  if (!parsed) {
    throw InputError(Where::in_file(path.string(), reader.line), csv_strerror(csv_error(&parser)),
                     "Check the quotes on this line");
  }
  if (reader.columns == 0)
    throw InputError(Where::in_file(path.string()), "the file is empty", "Give a header row and rows of data");
}

std::optional<std::size_t> find_column(const std::vector<std::string>& header,
                                       std::initializer_list<std::string_view> names) {
  for (auto name : names) {
    for (std::size_t i = 0; i < header.size(); ++i) {
      if (plain_name(header[i]) == plain_name(name)) return i;
    }
  }
  return std::nullopt;
}

std::string csv_cell(std::string_view text) {
  auto cell =
      is_guarded(text) || (text.size() > 1 && starts_formula(text)) ? "'" + std::string(text) : std::string(text);
  if (cell.find_first_of(",\"\r\n") == std::string::npos) return cell;
  std::string quoted(2 * cell.size() + 2, '\0');
  quoted.resize(csv_write(quoted.data(), quoted.size(), cell.data(), cell.size()));
  return quoted;
}

}  // namespace inchtide::exchange
