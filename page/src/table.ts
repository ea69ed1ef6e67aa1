// A chapter's table: sorted by its headings; a row of an asset picks it.

import type { Cell, Table } from "./data";
import { button, element, save, svg } from "./dom";
import { RowsInView } from "./rows_in_view";
import { current, listen, toggle } from "./state";

/** Longer ones are cut until they are opened. */
const first_shown = 30;
const first_columns = 40;

/** @param known assets and runs, whose rows pick them
    @param section names the section that it is in: tables of two may have the same title */
export function table_view(table: Table, known: Set<string>, section: string): HTMLElement {
  let rows = table.rows;
  let sorted = { column: -1, down: false };
  let all = rows.length <= first_shown;
  let columns = Math.min(table.columns.length, first_columns);
  let searched = "";
  const body = element("tbody");
  const is_figure = table.columns.map((column) => column.format !== "text" && column.format !== "day");

  const whiskers = table.columns.map(({ error_of }, k) => (error_of === undefined ? null : whisker_of(table, error_of, k)));
  /** What a row stands for, an asset or a run, and the cell that says so. */
  const pick_of = (row: Cell[]): [name: string, cell: number] | null => {
    const cell = row.findIndex(([, shown]) => known.has(shown));
    if (cell >= 0) return [row[cell]![1], cell];
    const run = `${row[0]?.[1]}, ${row[1]?.[1]}`; // portfolio and schedule
    return known.has(run) ? [run, 1] : null;
  };
  const fill = () => {
    const found = searched === "" ? rows : rows.filter((row) => row.some(([, shown]) => shown.toLowerCase().includes(searched)));
    view.show(all ? found : found.slice(0, first_shown));
  };
  const view = new RowsInView(body, (row) => {
    const line = element("tr");
    const [name, at] = pick_of(row) ?? ["", -1];
    row.slice(0, columns).forEach(([, shown], k) => {
      const cell = element("td", is_figure[k] ? { class: "figure" } : {});
      if (k === at) {
        const pick = button(shown, `Pick ${name} in all tables and charts`, () => toggle(name));
        pick.className = "pick";
        pick.setAttribute("aria-label", name); // of a run the cell shows the schedule alone
        pick.setAttribute("aria-pressed", String(current().picked.has(name)));
        cell.append(pick);
      } else {
        cell.textContent = shown;
        const drawn = whiskers[k]?.(row);
        if (drawn) cell.prepend(drawn);
      }
      line.append(cell);
    });
    line.classList.toggle("picked", current().picked.has(name));
    return line;
  });
  const heads = table.columns.map((column, k) => {
    const head = element("th", { scope: "col", ...(is_figure[k] ? { class: "figure" } : {}) });
    head.append(button(column.name, `Sort by ${column.name}`, () => sort(k)));
    if (column.unit !== "") head.append(element("span", { class: "quiet" }, ` ${column.unit}`));
    return head;
  });
  const sort = (column: number) => {
    sorted = { column, down: sorted.column === column ? !sorted.down : is_figure[column]! };
    const sign = sorted.down ? -1 : 1;
    rows = [...table.rows].sort((a, b) => sign * compare(a[column]![0], b[column]![0], sign));
    heads.forEach((head, k) => head.setAttribute("aria-sort", k === column ? (sorted.down ? "descending" : "ascending") : "none"));
    fill();
  };
  listen(["picked"], () => view.draw());
  fill();

  const more = all ? null : button(`All ${rows.length} rows`, "Show the rows that are cut", () => {
    all = true;
    more!.remove();
    fill();
  });
  heads.slice(columns).forEach((head) => (head.hidden = true));
  const wider = columns === heads.length ? null : button(`All ${heads.length} columns`, "Show the columns that are cut", () => {
    columns = heads.length;
    heads.forEach((head) => (head.hidden = false));
    wider!.remove();
    fill();
  });
  const search = table.rows.length <= first_shown ? null : element("input", { type: "search", placeholder: "Search", "aria-label": `Search in ${table.title}` });
  search?.addEventListener("input", () => {
    searched = search.value.trim().toLowerCase();
    fill();
  });
  const title = element("h3", {}, table.title, element("span", { class: "tools" }, search, button("CSV", `Save "${table.title}"`, () => save(`${table.name}.csv`, csv_of(table)))));
  const scroll = element("div", { class: "scroll", tabindex: "0", role: "region", "aria-label": `${section}: ${table.title}` },
    element("table", { class: table.columns.length > 12 ? "many" : "" }, element("thead", {}, element("tr", {}, ...heads)), body));
  view.within(scroll);
  return element("div", { class: "table" }, title, scroll, element("div", { class: "tools" }, more, wider), ...table.notes.map((note) => element("p", { class: "quiet" }, note)));
}

/** Draws a figure of a row with its standard error either way, all rows on one scale. */
function whisker_of(table: Table, figure: number, error: number): (row: Cell[]) => SVGElement | null {
  const ends = (row: Cell[]) => {
    const [at, by] = [row[figure]![0], row[error]![0]];
    return typeof at === "number" && typeof by === "number" ? [at - by, at, at + by] : null;
  };
  const all = [0, ...table.rows.flatMap((row) => ends(row) ?? [])];
  const [least, most] = [Math.min(...all), Math.max(...all)];
  const width = 96;
  const across = (at: number) => 3 + ((width - 6) * (at - least)) / (most - least || 1);
  return (row) => {
    const [low, at, high] = ends(row)?.map(across) ?? [];
    if (low === undefined) return null;
    const drawn = svg("svg", { class: "whisker", viewBox: `0 0 ${width} 14`, width, height: 14, "aria-hidden": "true" });
    drawn.append(svg("line", { class: "zero", x1: across(0), x2: across(0), y1: 0, y2: 14 }),
      svg("line", { x1: low, x2: high!, y1: 7, y2: 7 }), svg("circle", { cx: at!, cy: 7, r: 3 }));
    return drawn;
  };
}

/** Cells without a figure come last, whichever way. */
function compare(a: Cell[0], b: Cell[0], sign: number): number {
  if (a === null || b === null) return a === b ? 0 : a === null ? sign : -sign;
  if (typeof a === "number" && typeof b === "number") return a - b;
  return String(a).localeCompare(String(b));
}

function csv_of(table: Table): string {
  const quoted = (text: string) => (/[",\n]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text);
  const rows = [table.columns.map((c) => (c.unit === "" ? c.name : `${c.name} (${c.unit})`)), ...table.rows.map((row) => row.map(([value]) => String(value ?? "")))];
  return rows.map((row) => row.map(quoted).join(",")).join("\n") + "\n";
}
