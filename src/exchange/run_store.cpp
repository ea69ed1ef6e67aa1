#include "inchtide/exchange/run_store.hpp"

#include <fmt/format.h>
#include <fmt/ranges.h>

#include <algorithm>
#include <cmath>

#include "exchange/sqlite.hpp"
#include "inchtide/base/errors.hpp"
#include "inchtide/base/names.hpp"
#include "inchtide/base/percent.hpp"

namespace inchtide::exchange {
namespace {

namespace fs = std::filesystem;

/// "runs" in ASCII: marks the file as ours.
constexpr int runs_application = 0x72756e73;
constexpr int runs_format = 2;

/// What cells vary, as columns; those of words first.
const std::vector<std::string> word_columns = {"name", "schedule", "aim", "estimator", "window", "start"};
const std::vector<std::string> number_columns = {"delay", "cost_level"};

constexpr const char* varied_columns[] = {"schedule", "aim", "estimator", "window", "start", "delay", "cost_level"};

std::string names_of_figures() {
  std::string names;
  for (const auto& kept : kept_figures()) names += fmt::format(", {}", kept.name);
  return names;
}

std::string schema_of_runs() {
  std::string figures;
  for (const auto& kept : kept_figures()) figures += fmt::format(", {} REAL", kept.name);
  return fmt::format(
      "CREATE TABLE inputs (digest TEXT PRIMARY KEY, bytes BLOB NOT NULL);"
      "CREATE TABLE numerics (id INTEGER PRIMARY KEY, text TEXT NOT NULL UNIQUE);"
      "CREATE TABLE run (key TEXT PRIMARY KEY, inputs TEXT NOT NULL, cell BLOB NOT NULL, name TEXT NOT NULL,"
      "  schedule TEXT NOT NULL, aim TEXT NOT NULL, estimator TEXT NOT NULL, window TEXT NOT NULL,"
      "  delay INTEGER NOT NULL, start TEXT NOT NULL, cost_level REAL NOT NULL, first_day TEXT, last_day TEXT,"
      "  marked INTEGER NOT NULL, left_out INTEGER NOT NULL, failure TEXT NOT NULL, numerics INTEGER NOT NULL "
      "REFERENCES numerics{}"
      ") WITHOUT ROWID;",
      figures);
}

/// @throws InputError for a file of something else
void check_runs(const fs::path& path, sqlite3* connection, const std::string& within = "") {
  const auto pragma = [&](const char* name) {
    return number_from(path, connection, fmt::format("PRAGMA {}{}", within, name).c_str());
  };
  if (pragma("application_id") != runs_application) {
    throw InputError(Where::in_file(path.string()), "it is an SQLite file, but no store of rehearsals",
                     "Choose another file");
  }
  if (const int made_as = pragma("user_version"); made_as != runs_format) {
    throw InputError(Where::in_file(path.string()),
                     fmt::format("it was made by another version (format {}; this one has {})", made_as, runs_format),
                     "Run into a new store");
  }
}

/// A connection to read by. Where the folder is read-only the write-ahead files can't be made; then nobody is writing
/// either, and the file is read as it stands.
std::shared_ptr<sqlite3> connect_to_runs(const fs::path& path) {
  try {
    auto connection = connect(path, SQLITE_OPEN_READWRITE);
    check_runs(path, connection.get());
    return connection;
  } catch (const OutsideFailure&) {
    std::error_code error;
    if (fs::exists(path.string() + "-wal", error)) throw;
    auto connection = connect(path, SQLITE_OPEN_READONLY, "?immutable=1");
    check_runs(path, connection.get());
    return connection;
  }
}

std::string_view letters_of(const Bytes& bytes) {
  return {reinterpret_cast<const char*>(bytes.data()), bytes.size()};
}

/// The column of that name.
std::string column_named(std::string_view name, const Where& where) {
  std::vector<std::string> known = word_columns;
  known.insert(known.end(), number_columns.begin(), number_columns.end());
  for (const auto& kept : kept_figures()) known.emplace_back(kept.name);
  if (const auto found = find_name(name, known)) return known[*found];
  throw InputError(where, fmt::format("runs have no '{}'", name), did_you_mean(name, known));
}

bool is_of_words(const std::string& column) {
  return std::ranges::find(word_columns, column) != word_columns.end();
}

/// Shares are written as percentages; what is none has no % sign.
double figure_in(const std::string& text, const std::string& column, const Where& where) {
  const auto kept =
      std::ranges::find(kept_figures(), column, [](const KeptFigure& one) { return std::string(one.name); });
  if (kept != kept_figures().end() && kept->share) return fraction_from_percent(text, where);
  if (const auto figure = parse_number(text)) return *figure;
  if (text.ends_with('%'))
    throw InputError(where, fmt::format("{} is no percentage", column), "Write a number, such as 0.5");
  throw InputError(where, fmt::format("'{}' is no number", text), "Write one, such as 0.5");
}

std::string condition_of(const RunQuery& query) {
  auto condition = fmt::format("failure {} ''", query.failed ? "<>" : "=");
  if (query.chosen_only) condition += " AND key IN (SELECT key FROM temp.chosen)";
  if (query.inputs) condition += " AND inputs = ?";
  for (const auto& filter : query.where) {
    condition +=
        fmt::format(" AND {} {} ?{}", column_named(filter.column, "where"), filter.sign == "!=" ? "<>" : filter.sign,
                    is_of_words(filter.column) ? " COLLATE NOCASE" : "");
  }
  return condition;
}

void bind_all(Statement& statement, const RunQuery& query) {
  int at = 0;
  if (query.inputs) statement.bind(++at, *query.inputs);
  for (const auto& filter : query.where) {
    if (is_of_words(filter.column)) {
      statement.bind(++at, filter.value);
    } else {
      statement.bind(++at, parse_number(filter.value).value_or(0));
    }
  }
}

const std::string columns_of_a_run =
    "key, inputs, cell, name, schedule, estimator, first_day, last_day, marked, left_out, failure, "
    "(SELECT text FROM numerics WHERE id = run.numerics)";
constexpr int columns_before_figures = 12;

GridRun run_in(const Statement& row) {
  GridRun run;
  run.key = row.text(0);
  run.cell = GridCell::from_bytes(row.bytes(2));
  run.name = row.text(3);
  run.cell.schedule.name = row.text(4);
  run.cell.estimator.name = row.text(5);
  run.from = parse_day(row.text(6)).value_or(Day{});
  run.to = parse_day(row.text(7)).value_or(Day{});
  run.marked = row.integer(8) != 0;
  run.left_out = std::size_t(row.integer(9));
  run.failure = row.text(10);
  run.numerics = row.text(11);
  if (!run.failure.empty()) return run;
  for (std::size_t k = 0; k < kept_figures().size(); ++k) {
    run.figures.push_back(row.number(columns_before_figures + int(k)));
  }
  return run;
}

}  // namespace

RunFilter RunFilter::parse(std::string_view text, const Where& where) {
  const auto at = text.find_first_of("=!<>");
  const auto end = at == std::string_view::npos ? at : text.find_first_not_of("=!<>", at);
  const auto trim = [](std::string_view part) {
    while (part.starts_with(' ')) part.remove_prefix(1);
    while (part.ends_with(' ')) part.remove_suffix(1);
    return std::string(part);
  };
  if (end == std::string_view::npos) {
    throw InputError(where, fmt::format("'{}' is no condition", text),
                     "Write it like: sharpe > 0.5, cost_per_year <= 0.5%, schedule = yearly");
  }
  RunFilter filter{column_named(trim(text.substr(0, at)), where), std::string(text.substr(at, end - at)),
                   trim(text.substr(end))};
  const std::vector<std::string> signs = {"=", "!=", "<", "<=", ">", ">="};
  const auto sign = std::ranges::find(signs, filter.sign);
  if (sign == signs.end() || (is_of_words(filter.column) && sign - signs.begin() > 1)) {
    throw InputError(where, fmt::format("'{}' does not go with {}", filter.sign, filter.column),
                     is_of_words(filter.column) ? "Write = or !=" : "Write one of = != < <= > >=");
  }
  if (is_of_words(filter.column)) return filter;
  filter.value = fmt::format("{}", figure_in(filter.value, filter.column, where));
  return filter;
}

struct RunStore::Connected {
  explicit Connected(fs::path file) : path(std::move(file)) {}

  fs::path path;
  std::shared_ptr<sqlite3> connection;
  std::optional<Statement> insert, look_up;

  void run(const std::string& sql) const { execute(path, connection.get(), sql.c_str()); }
  [[nodiscard]] Statement prepare(const std::string& sql) const { return {path, connection.get(), sql}; }

  void begin() {
    run("CREATE TEMP TABLE chosen (key TEXT PRIMARY KEY) WITHOUT ROWID");
    look_up.emplace(prepare("SELECT 1 FROM run WHERE key = ? AND failure = ''"));
  }
  void make() const {
    run(fmt::format("PRAGMA application_id = {}; PRAGMA user_version = {};", runs_application, runs_format));
    run(schema_of_runs());
  }
  void prepare_to_write() {
    std::string places;
    for (std::size_t k = 0; k < kept_figures().size(); ++k) places += ", ?";
    // One that failed gives way to one that didn't.
    insert.emplace(prepare(fmt::format(
        "INSERT INTO run (key, inputs, cell, name, schedule, aim, estimator, window, delay, start, cost_level, "
        "first_day, last_day, marked, left_out, failure, numerics{}) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, "
        "?, ?, "
        "(SELECT id FROM numerics WHERE text = ?){}) ON CONFLICT (key) DO UPDATE SET {}, numerics = excluded.numerics, "
        "failure = '', first_day = excluded.first_day, last_day = excluded.last_day, marked = excluded.marked, "
        "left_out = excluded.left_out WHERE "
        "run.failure <> '' AND excluded.failure = ''",
        names_of_figures(), places, figures_updated())));
  }
  static std::string figures_updated() {
    std::vector<std::string> parts;
    for (const auto& kept : kept_figures()) parts.push_back(fmt::format("{0} = excluded.{0}", kept.name));
    return fmt::format("{}", fmt::join(parts, ", "));
  }
};

RunStore::RunStore() : at_(std::make_unique<Connected>("runs that are not kept")) {
  sqlite3* made = nullptr;
  const int code =
      sqlite3_open_v2("", &made, SQLITE_OPEN_READWRITE | SQLITE_OPEN_CREATE, nullptr);  // on disk, nameless
  at_->connection = {made, sqlite3_close_v2};
  if (code != SQLITE_OK) exchange::fail(at_->path, nullptr, code);
  at_->make();
  at_->begin();
  at_->prepare_to_write();
}

RunStore::RunStore(const fs::path& path, Access access) : at_(std::make_unique<Connected>(path)) {
  std::error_code error;
  const bool there = fs::exists(path, error) && fs::file_size(path, error) > 0;
  if (!there && access == Access::read) {
    throw InputError(Where::in_file(path.string()), "there is no such store of rehearsals",
                     "Make one by rehearsing a grid into it");
  }
  if (access == Access::read) {
    at_->connection = connect_to_runs(path);
    at_->begin();
    return;
  }
  at_->connection = connect(path, SQLITE_OPEN_READWRITE | SQLITE_OPEN_CREATE);
  if (!there) {
    Transaction transaction(at_->path, at_->connection.get());
    if (number_from(at_->path, at_->connection.get(), "PRAGMA application_id") == 0) at_->make();
    transaction.keep();
  }
  check_runs(path, at_->connection.get());
  at_->begin();
  at_->run("PRAGMA journal_mode = WAL; PRAGMA synchronous = NORMAL;");
  at_->prepare_to_write();
}

RunStore::~RunStore() = default;

void RunStore::put_inputs(const Digest& digest, const Bytes& inputs) {
  auto insert = at_->prepare("INSERT OR IGNORE INTO inputs VALUES (?, ?)");
  insert.bind(1, digest.text());
  insert.bind_bytes(2, letters_of(inputs));
  insert.run();
}

Bytes RunStore::inputs(const std::string& digest) const {
  auto query = at_->prepare("SELECT bytes FROM inputs WHERE digest = ?");
  query.bind(1, digest);
  if (!query.step()) {
    throw InputError(Where::in_file(at_->path.string()), fmt::format("it has no inputs {}", digest), "Run them anew");
  }
  const auto stored = query.bytes(0);
  Bytes bytes(stored.begin(), stored.end());
  if (Digest::of(bytes).text() == digest) return bytes;
  throw InputError(Where::in_file(at_->path.string()), fmt::format("its inputs {} are damaged", digest),
                   "Run them anew");
}

std::vector<StoredInputs> RunStore::all_inputs() const {
  auto query = at_->prepare("SELECT inputs, count(*), sum(failure <> '') FROM run GROUP BY inputs ORDER BY inputs");
  std::vector<StoredInputs> all;
  while (query.step()) {
    all.push_back({query.text(0), std::size_t(query.integer(1)), std::size_t(query.integer(2))});
  }
  return all;
}

std::vector<std::string> RunStore::all_numerics() const {
  auto query = at_->prepare("SELECT text FROM numerics WHERE id IN (SELECT numerics FROM run) ORDER BY text");
  std::vector<std::string> all;
  while (query.step()) all.push_back(query.text(0));
  return all;
}

bool RunStore::put(const GridRun& run, const std::string& inputs) {
  if (!at_->insert) {
    throw InputError(Where::in_file(at_->path.string()), "the store was opened to be read", "Open it to be written");
  }
  auto numerics = at_->prepare("INSERT OR IGNORE INTO numerics (text) VALUES (?)");
  numerics.bind(1, run.numerics);
  numerics.run();
  auto& insert = *at_->insert;
  int at = 0;
  insert.bind(++at, run.key);
  insert.bind(++at, inputs);
  insert.bind_bytes(++at, letters_of(run.cell.bytes()));
  for (const auto& text :
       {run.name, run.cell.schedule.name, run.cell.aim.text(), run.cell.estimator.name, run.cell.window.text()}) {
    insert.bind(++at, text);
  }
  insert.bind(++at, std::int64_t(run.cell.delay));
  insert.bind(++at, to_string(run.cell.start));
  insert.bind(++at, run.cell.cost_level);
  const bool failed = run.figures.empty();
  insert.bind(++at, failed ? std::string() : to_string(run.from));
  insert.bind(++at, failed ? std::string() : to_string(run.to));
  insert.bind(++at, std::int64_t(run.marked));
  insert.bind(++at, std::int64_t(run.left_out));
  insert.bind(++at, failed && run.failure.empty() ? std::string("no figures") : run.failure);
  insert.bind(++at, run.numerics);
  for (std::size_t k = 0; k < kept_figures().size(); ++k) insert.bind(++at, failed ? NAN : run.figures[k]);
  insert.run();
  return sqlite3_changes(at_->connection.get()) > 0;
}

bool RunStore::has(const std::string& key) const {
  auto& look_up = *at_->look_up;
  look_up.bind(1, key);
  const bool found = look_up.step();
  look_up.reset();
  return found;
}

bool RunStore::knows(const std::string& key) const {
  auto rows = at_->prepare("SELECT 1 FROM run WHERE key = ?");
  rows.bind(1, key);
  return rows.step();
}

void RunStore::choose(const std::string& key) {
  auto insert = at_->prepare("INSERT OR IGNORE INTO temp.chosen VALUES (?)");
  insert.bind(1, key);
  insert.run();
}

std::vector<GridRun> RunStore::find(const RunQuery& query) const {
  auto rows = at_->prepare(fmt::format("SELECT {}{} FROM run WHERE {} ORDER BY {} {}, key{}", columns_of_a_run,
                                       names_of_figures(), condition_of(query), column_named(query.sort, "sort"),
                                       query.ascending ? "ASC" : "DESC",
                                       query.most > 0 ? fmt::format(" LIMIT {}", query.most) : ""));
  bind_all(rows, query);
  std::vector<GridRun> runs;
  while (rows.step()) runs.push_back(run_in(rows));
  return runs;
}

std::size_t RunStore::count(const RunQuery& query) const {
  auto rows = at_->prepare("SELECT count(*) FROM run WHERE " + condition_of(query));
  bind_all(rows, query);
  rows.step();
  return std::size_t(rows.integer(0));
}

std::pair<GridRun, std::string> RunStore::run_and_inputs(const std::string& key) const {
  auto rows = at_->prepare(
      fmt::format("SELECT {}{} FROM run WHERE substr(key, 1, ?) = ? LIMIT 2", columns_of_a_run, names_of_figures()));
  rows.bind(1, std::int64_t(key.size()));
  rows.bind(2, key);
  const Where where = fmt::format("key '{}'", key);
  if (key.empty() || !rows.step()) throw InputError(where, "no run has it", "List the runs and take one of theirs");
  std::pair found(run_in(rows), rows.text(1));
  if (rows.step()) throw InputError(where, "several runs begin so", "Give more of it");
  return found;
}

std::vector<RunGroup> RunStore::groups(const RunQuery& query, const std::string& axis,
                                       const std::string& second) const {
  const auto by = column_named(axis, "axis"), then = second.empty() ? "''" : column_named(second, "axis");
  std::vector<std::string> rest;
  for (const char* column : varied_columns) {
    if (column != by && column != then) rest.emplace_back(column);
  }
  const auto value = [](const Statement& row, int column, const std::string& of) {
    return of == "''" || is_of_words(of) ? row.text(column) : fmt::format("{:.15g}", row.number(column));
  };
  std::vector<RunGroup> groups;
  for (const bool balanced : {true, false}) {
    auto rows = at_->prepare(fmt::format(
        "WITH base AS (SELECT *, {0} || '|' || {1} AS value, {2} AS rest FROM run WHERE {3} ORDER BY key), "
        "whole AS (SELECT rest FROM base GROUP BY rest HAVING {4} OR count(DISTINCT value) = "
        "(SELECT count(DISTINCT value) FROM base)) "
        "SELECT {0}, {1}, count(*), avg(growth_per_year), avg(volatility), avg(sharpe), avg(cost_per_year), "
        "avg(max_drawdown), max(sharpe) FROM base WHERE rest IN whole GROUP BY {0}, {1} ORDER BY {0}, {1}",
        by, then, fmt::join(rest, " || '|' || "), condition_of(query), balanced ? 0 : 1));
    bind_all(rows, query);
    while (rows.step()) {
      groups.push_back({value(rows, 0, by), value(rows, 1, then), std::size_t(rows.integer(2)), rows.number(3),
                        rows.number(4), rows.number(5), rows.number(6), rows.number(7), rows.number(8), balanced});
    }
    if (!groups.empty()) break;
  }
  return groups;
}

std::vector<FailedRuns> RunStore::failures(RunQuery query) const {
  query.failed = true;
  auto rows = at_->prepare(fmt::format(
      "SELECT failure, min(name), count(*) FROM run WHERE {} GROUP BY failure ORDER BY count(*) DESC, failure",
      condition_of(query)));
  bind_all(rows, query);
  std::vector<FailedRuns> all;
  while (rows.step()) all.push_back({rows.text(0), rows.text(1), std::size_t(rows.integer(2))});
  return all;
}

RunStore::Merged RunStore::merge(const fs::path& other) {
  { const RunStore readable(other, Access::read); }  // says what is wrong with it
  std::error_code unknown;
  if (fs::equivalent(at_->path, other, unknown)) {
    throw InputError(Where::in_file(other.string()), "it is the store itself", "Name another to merge into it");
  }
  auto attach = at_->prepare("ATTACH ? AS other");
  attach.bind(1, fs::absolute(other).string());
  attach.run();
  const auto count = [&](const std::string& sql) {
    auto rows = at_->prepare(sql);
    rows.step();
    return std::size_t(rows.integer(0));
  };
  Merged merged;
  std::vector<std::string> off;
  for (const auto& kept : kept_figures()) off.push_back(fmt::format("a.{0} IS NOT b.{0}", kept.name));
  const std::string both = "SELECT count(*) FROM main.run a JOIN other.run b USING (key) WHERE a.failure = ''";
  merged.there = count(both);
  merged.other_figures = count(fmt::format("{} AND b.failure = '' AND ({})", both, fmt::join(off, " OR ")));
  {
    Transaction transaction(at_->path, at_->connection.get());
    const auto before = count("SELECT count(*) FROM main.run WHERE failure = ''");
    at_->run(
        "INSERT OR IGNORE INTO main.inputs SELECT * FROM other.inputs;"
        "INSERT OR IGNORE INTO main.numerics (text) SELECT text FROM other.numerics;"
        "DELETE FROM main.run WHERE failure <> '' AND key IN (SELECT key FROM other.run WHERE failure = '');");
    at_->run(fmt::format(
        "INSERT OR IGNORE INTO main.run (key, inputs, cell, name, schedule, aim, estimator, window, delay, start, "
        "cost_level, first_day, last_day, marked, left_out, failure, numerics{0}) SELECT key, inputs, cell, name, "
        "schedule, aim, "
        "estimator, window, delay, start, cost_level, first_day, last_day, marked, left_out, failure, (SELECT m.id "
        "FROM "
        "main.numerics m JOIN other.numerics o USING (text) WHERE o.id = run.numerics){0} FROM other.run",
        names_of_figures()));
    merged.taken = count("SELECT count(*) FROM main.run WHERE failure = ''") - before;
    transaction.keep();
  }
  at_->run("DETACH other");
  return merged;
}

}  // namespace inchtide::exchange
