#include "inchtide/report/page.hpp"

#include <fmt/format.h>
#include <openssl/evp.h>
#include <zlib.h>

#include <algorithm>
#include <cmath>
#include <cstdlib>

#include "inchtide/base/errors.hpp"
#include "inchtide/base/version.hpp"
#include "report/page_bundle.hpp"
#include "report/page_charts.hpp"

namespace inchtide::report {
namespace {

const Chapter& chapter_of(const PageSource& source, const char* command) {
  const auto found = std::ranges::find(source.chapters, command, &Chapter::command);
  if (found != source.chapters.end()) return *found;
  throw InputError("page", fmt::format("it has no chapter '{}'", command), "Give one");
}

/// What a cell is sorted by, and what is read.
Json cell_json(const Cell& cell, Format format) {
  const auto shown_as = shown(cell, format);
  if (const auto* figure = std::get_if<double>(&cell)) {
    return Json::array({std::isfinite(*figure) ? Json(*figure) : Json(), shown_as});
  }
  if (std::holds_alternative<std::monostate>(cell)) return Json::array({Json(), shown_as});
  return Json::array({shown_as, shown_as});
}

Json table_json(const Table& table, const SpeltMeans& spelt) {
  auto json = to_json(table);
  auto rows = Json::array();
  std::vector<Format> formats;
  for (std::size_t k = 0; k < table.columns.size(); ++k) formats.push_back(format_of(table, k));
  for (const auto& row : table.rows) {
    auto cells = Json::array();
    for (std::size_t k = 0; k < row.size(); ++k) cells.push_back(cell_json(row[k], formats[k]));
    rows.push_back(std::move(cells));
  }
  json["rows"] = std::move(rows);
  for (std::size_t k = 0; k < table.columns.size(); ++k) {
    const auto of = std::ranges::find(table.columns, table.columns[k].error_of, &Column::name);
    if (of != table.columns.end()) json["columns"][k]["error_of"] = of - table.columns.begin();
  }
  json["notes"] = Json::array();
  for (const auto& note : table.notes) json["notes"].push_back(note.text(spelt));
  return json;
}

/// Whether a chart is another one under a name of its own.
bool is_drawn_as(const Json& chart, const Json& nameless) {
  return chart.size() == nameless.size() + 1 && std::ranges::all_of(nameless.items(), [&](const auto& member) {
           const auto own = chart.find(member.key());
           return own != chart.end() && *own == member.value();
         });
}

/// @param told warnings that an earlier chapter has said
Json chapter_json(const Chapter& chapter, const SpeltMeans& spelt, std::vector<std::string>& told) {
  Json json{{"command", chapter.command}, {"sentence", chapter.sentence}};
  json["warnings"] = Json::array();
  for (const auto& warning : chapter.warnings) {
    auto text = warning.text(spelt);
    if (std::ranges::find(told, text) != told.end()) continue;
    json["warnings"].push_back(text);
    told.push_back(std::move(text));
  }
  json["tables"] = Json::array();
  for (const auto& table : chapter.tables) {
    if (!table.preview) json["tables"].push_back(table_json(table, spelt));  // the others are for files
  }
  auto& charts = json["charts"] = Json::array();
  for (const auto& chart : chapter.charts) {
    auto one = page_chart(chart);
    one.erase("name");
    const auto twin = std::ranges::find_if(charts, [&](const Json& other) { return is_drawn_as(other, one); });
    if (twin != charts.end()) {  // one asset's or portfolio's, which stands under the plain name too
      one = {{"same_as", (*twin)["name"]}};
    }
    one["name"] = chart.name;
    charts.push_back(std::move(one));
  }
  return json;
}

/// To nine digits, more than a page shows.
Json shortened(Json json) {
  if (json.is_structured()) {
    for (auto& part : json) part = shortened(std::move(part));
  } else if (json.is_number_float()) {
    json = Json::parse(fmt::format("{:.9g}", json.get<double>()));
  }
  return json;
}

std::string dumped(const Json& json) {
  return json.dump(-1, ' ', false, Json::error_handler_t::replace);
}

std::string study_json(const PageSource& source) {
  const auto& estimate = chapter_of(source, "estimate").result;
  const auto& span = source.chapters.front().result;  // of the prices, where they are the first chapter
  const auto& of_prices = span.contains("from") ? span : estimate;
  Json json{{"title", source.title},    {"version", version},          {"from", of_prices["from"]},
            {"to", of_prices["to"]},    {"currency", source.currency}, {"benchmark", source.benchmark},
            {"command", source.command}};
  std::vector<std::string> told;
  std::string text = R"({"chapters":[)";  // one after the other, as each takes far more room than its text
  for (const auto& chapter : source.chapters) {
    text += (text.ends_with('[') ? "" : ",") + dumped(chapter_json(chapter, source.spelt, told));
  }
  for (const char* field :
       {"assets", "expected_return", "covariance", "loadings", "factor_covariance", "specific_variance", "risk_free"}) {
    if (estimate.contains(field)) json["estimate"][field] = estimate[field];
  }
  json["corners"] = chapter_of(source, "frontier").result["corners"];
  json["portfolios"] = Json::array();
  for (const auto& chapter : source.chapters) {
    if (chapter.command == "weigh") json["portfolios"] = chapter.result["portfolios"];
  }
  for (const char* field : {"bounds", "benchmark_risk", "sensitivity"}) {
    const auto& frontier = chapter_of(source, "frontier").result;
    if (frontier.contains(field)) json[field] = frontier[field];
  }
  for (const auto& chapter : source.chapters) {
    if (chapter.result.contains("cost_levels")) json["cost_levels"] = shortened(chapter.result["cost_levels"]);
    if (chapter.result.contains("returns_table")) {
      json["returns"] = shortened(chapter.result["returns_table"]);
      json["orders"] = chapter.result["orders"];
    }
    if (chapter.command == "weigh") json["tags"] = chapter.result["tags"];
    for (const char* field : {"room_for", "trading"}) {
      if (chapter.result.contains(field)) json[field] = chapter.result[field];
    }
  }
  json["inputs"] = chapter_of(source, "estimate").inputs;
  return text + "]," + dumped(json).substr(1);
}

/// Piece by piece, as it comes to a small part of the text.
std::vector<unsigned char> deflated(const std::string& text) {
  constexpr std::size_t piece = 1 << 20;
  std::vector<unsigned char> packed;
  z_stream stream{};
  int state = deflateInit(&stream, Z_BEST_COMPRESSION);
  while (state == Z_OK) {
    const auto left = text.size() - stream.total_in;
    packed.resize(stream.total_out + piece);
    stream.next_in = reinterpret_cast<Bytef*>(const_cast<char*>(text.data())) + stream.total_in;  // which it only reads
    stream.avail_in = static_cast<uInt>(std::min(left, piece));
    stream.next_out = packed.data() + stream.total_out;
    stream.avail_out = piece;
    state = deflate(&stream, left <= piece ? Z_FINISH : Z_NO_FLUSH);
  }
  packed.resize(stream.total_out);
  deflateEnd(&stream);
  if (state == Z_STREAM_END) return packed;
  throw OutsideFailure("The page's data cannot be packed: there is not enough memory");
}

/// Deflated, in base64.
std::string packed(const std::string& text) {
  const auto bytes = deflated(text);
  std::string base64(4 * ((bytes.size() + 2) / 3) + 1, '\0');
  const auto length =
      EVP_EncodeBlock(reinterpret_cast<unsigned char*>(base64.data()), bytes.data(), static_cast<int>(bytes.size()));
  base64.resize(std::size_t(length));
  return base64;
}

std::string escaped(std::string_view text) {
  std::string safe;
  for (const char c : text) {
    switch (c) {
      case '<': safe += "&lt;"; break;
      case '>': safe += "&gt;"; break;
      case '&': safe += "&amp;"; break;
      case '"': safe += "&quot;"; break;
      default: safe += c;
    }
  }
  return safe;
}

PageBundle bundle_there() {
  if (const auto bundle = page_bundle()) return *bundle;
  throw OutsideFailure(
      "The page was not built in: Node.js and npm were missing when Inch Tide was built. Install them and build it "
      "again");
}

}  // namespace

bool has_page() {
  return page_bundle().has_value();
}

std::string_view page_notices() {
  const auto bundle = page_bundle();
  return bundle ? bundle->notices : std::string_view();
}

Json view_of(const Chapter& chapter, const SpeltMeans& spelt) {
  std::vector<std::string> none;
  return chapter_json(chapter, spelt, none);
}

LivePage live_page() {
  const auto bundle = bundle_there();
  return {.html =
              "<!doctype html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n"
              "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n<title>Inch Tide</title>\n"
              "<link rel=\"stylesheet\" href=\"page.css\">\n<script src=\"page.js\" defer></script>\n</head>\n<body>\n"
              "<p>This page is made in the browser: it needs JavaScript.</p>\n</body>\n</html>\n",
          .script = bundle.script,
          .style = bundle.style};
}

std::string page_of(const PageSource& source) {
  const auto bundle = bundle_there();
  const auto data = packed(study_json(source));
  return fmt::format(
      "<!doctype html>\n<html lang=\"en\">\n<head>\n<meta charset=\"utf-8\">\n"
      "<meta http-equiv=\"Content-Security-Policy\" content=\"default-src 'none'; script-src '{}'; style-src '{}'; "
      "img-src data: blob:; base-uri 'none'; form-action 'none'\">\n"
      "<meta name=\"viewport\" content=\"width=device-width, initial-scale=1\">\n<title>{}</title>\n"
      "<style>{}</style>\n</head>\n<body>\n<p>This page is made in the browser: it needs JavaScript.</p>\n"
      "<script id=\"study\" type=\"application/json\">{}</script>\n<script>{}</script>\n</body>\n</html>\n",
      bundle.script_digest, bundle.style_digest, escaped(source.title), bundle.style, data, bundle.script);
}

}  // namespace inchtide::report
