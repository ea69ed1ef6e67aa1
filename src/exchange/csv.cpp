#include "inchtide/exchange/csv.hpp"

#include <csv.h>
#include <fmt/format.h>

#include <exception>
#include <memory>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/exchange/files.hpp"

namespace inchtide::exchange {
namespace {

/// Gathers the cells that libcsv hands over one by one into rows.
struct Reader {
  const std::filesystem::path& path;
  const std::function<void(CsvRow)>& header;
  const std::function<void(std::size_t, CsvRow)>& row;
  std::size_t line = 1;  // where the next row starts
  std::size_t lines_in_row = 0;
  std::size_t columns = 0;  // 0 until the header is read
  std::string text;         // the cells of this row, one after another
  std::vector<std::size_t> ends;
  std::exception_ptr failure;  // an exception must not cross the C library

  void cell(std::string_view value) {
    for (char c : value) lines_in_row += c == '\n' ? 1 : 0;
    text += value;
    ends.push_back(text.size());
  }

  void end_of_row(int terminator) {
    // Blank lines, and the second half of CRLF, arrive as rows without cells.
    const bool blank = ends.empty() || (ends.size() == 1 && text.empty());
    if (!blank && !failure) {
      try {
        hand_over();
      } catch (...) {
        failure = std::current_exception();
      }
    }
    line += lines_in_row + (terminator == '\n' ? 1 : 0);
    lines_in_row = 0;
    text.clear();
    ends.clear();
  }

  void hand_over() {
    std::vector<std::string_view> cells;
    std::size_t begin = 0;
    for (auto end : ends) {
      cells.push_back(std::string_view(text).substr(begin, end - begin));
      begin = end;
    }
    if (columns == 0) {
      columns = cells.size();
      header(cells);
    } else if (cells.size() != columns) {
      throw InputError(fmt::format("{}, line {}", path.string(), line),
                       fmt::format("the row has {} cells, the header has {}", cells.size(), columns),
                       "Give every row as many cells as the header");
    } else {
      row(line, cells);
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

std::string cell_place(const std::filesystem::path& path, std::size_t line, std::string_view column) {
  return fmt::format("{}, line {}, column {}", path.string(), line, column);
}

void read_csv(const std::filesystem::path& path, const std::function<void(CsvRow)>& header,
              const std::function<void(std::size_t, CsvRow)>& row) {
  const std::string content = read_text_file(path);
  std::string_view body = content;
  if (body.starts_with("\xEF\xBB\xBF")) body.remove_prefix(3);
  Reader reader{path, header, row, 1, 0, 0, {}, {}, {}};
  csv_parser parser;
  csv_init(&parser, CSV_STRICT | CSV_STRICT_FINI | CSV_REPALL_NL | CSV_APPEND_NULL);
  const std::unique_ptr<csv_parser, void (*)(csv_parser*)> freed(&parser, csv_free);
  const bool parsed = csv_parse(&parser, body.data(), body.size(), on_cell, on_row, &reader) == body.size() &&
                      csv_fini(&parser, on_cell, on_row, &reader) == 0;
  if (reader.failure) std::rethrow_exception(reader.failure);
  if (!parsed) {
    throw InputError(fmt::format("{}, line {}", path.string(), reader.line), csv_strerror(csv_error(&parser)),
                     "Check the quotes on this line");
  }
  if (reader.columns == 0) throw InputError(path.string(), "the file is empty", "Give a header row and rows of data");
}

std::optional<std::size_t> find_column(const std::vector<std::string>& header,
                                       std::initializer_list<std::string_view> names) {
  const auto plain = [](std::string_view name) {
    std::string result;
    for (char c : lower_name(name)) {
      if (c != ' ' && c != '_') result += c;
    }
    return result;
  };
  for (auto name : names) {
    for (std::size_t i = 0; i < header.size(); ++i) {
      if (plain(header[i]) == plain(name)) return i;
    }
  }
  return std::nullopt;
}

std::string csv_cell(std::string_view text) {
  if (text.find_first_of(",\"\r\n") == std::string_view::npos) return std::string(text);
  std::string quoted(2 * text.size() + 2, '\0');
  quoted.resize(csv_write(quoted.data(), quoted.size(), text.data(), text.size()));
  return quoted;
}

}  // namespace inchtide::exchange
