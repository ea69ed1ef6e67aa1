// Limits, methods and rules to change, where a tool serves the page: what is changed is computed anew, and can be undone.

import type { Corner } from "./data";
import { button, element } from "./dom";
import type { Answer, Change, Key, Link, Outline, Setting } from "./link";
import { Overtaken, Refused } from "./link";

const groups: [table: string, name: string][] = [
  ["limits", "Limits"], ["estimate", "Estimate"], ["universe", "Window and assets"], ["costs", "Costs"], ["schedules", "Schedules"],
  ["flows", "Flows"], ["rehearsal", "Rehearsal"], ["views", "Views"],
];

/** What has to be made anew where a key changes, the nearest to the eye first. */
function touched(path: string[]): string[] {
  const [table, key] = path;
  if (table === "limits") return ["frontier", "weigh", "rehearse"];
  if (table === "rehearsal" && key === "split") return everything;
  if (["costs", "schedules", "flows", "rehearsal"].includes(table!)) return ["weigh", "rehearse"];
  return everything;
}
const everything = ["estimate", "frontier", "weigh", "inspect", "describe", "relate", "rehearse"];

const same_path = (one: string[], other: string[]) => one.length === other.length && one.every((part, k) => part === other[k]);
const shown = (texts: string[] | null) => (texts ?? []).join(", ");

/** The figure at the caret, one step up or down: so that a limit is moved with two keys. */
export function nudged(text: string, caret: number, step: number): string | null {
  for (const found of text.matchAll(/-?\d+(\.\d+)?/g)) {
    if (caret < found.index || caret > found.index + found[0].length) continue;
    const decimals = found[1] ? found[1].length - 1 : 0;
    const moved = (Number(found[0]) + step * 10 ** -decimals).toFixed(decimals);
    return text.slice(0, found.index) + moved + text.slice(found.index + found[0].length);
  }
  return null;
}

/** Seconds for a search of positions until the best so far is shown. */
const soon = 0.3;
/** Whether a longer search may find better positions. */
function is_unproven({ document: { result } }: Answer): boolean {
  const portfolios = result["portfolios"] as { proven: boolean | null }[];
  return portfolios.some(({ proven }) => proven === false) || (result["unanswered"] as unknown[]).length > 0;
}

/** What the page does with what comes. */
interface Told {
  /** The frontier under other limits, before the rest of its chapter. */
  moved: (corners: Corner[]) => void;
  arrived: (answer: Answer) => void;
  /** Why there is no chapter. */
  failed: (command: string, problem: string) => void;
}

interface Row {
  box: HTMLElement;
  field: HTMLInputElement | HTMLSelectElement;
  mark: HTMLElement;
}

export class Live {
  /** The bar with undo and redo, and the panel of what can be changed. */
  readonly bar = element("footer", { class: "live", "aria-label": "Changes to the mandate" });
  readonly panel = element("details", { class: "changes", open: "" });
  private readonly told = element("span", { role: "status" });
  private readonly problem = element("p", { class: "problem", role: "alert" });
  private past: Change[][] = [[]];
  private at = 0;
  private round = 0;
  private table = "limits";
  private wrong: string[] = []; // limits of the last conflict

  constructor(private readonly link: Link, private readonly outline: Outline, private readonly page: Told) {
    this.frame();
    this.show();
  }

  private get changes(): Change[] {
    return this.past[this.at]!;
  }

  private value(path: string[]): string[] | null {
    const changed = this.changes.find((one) => same_path(one.path, path));
    if (changed) return changed.texts;
    return this.outline.settings.find((one) => same_path(one.path, path))?.texts ?? null;
  }

  /** All keys of a table, those that were added last. */
  private settings(): Setting[] {
    const known = this.outline.settings.filter((one) => one.path[0] === this.table);
    const added = this.changes.filter((one) => one.path[0] === this.table && !known.some((old) => same_path(old.path, one.path)));
    const all = [...known, ...added.map(({ path, texts }): Setting => ({ path, texts: texts ?? [], takes: this.key_of(path)?.takes ?? "text", help: this.key_of(path)?.help ?? "" }))];
    return all.filter((one) => this.value(one.path) !== null);
  }

  private key_of(path: string[]): Key | undefined {
    return this.outline.keys.find(({ key }) => {
      const parts = key.split(".");
      return parts.length === path.length && parts.every((part, k) => part === "*" || part === path[k]);
    });
  }

  /** One more change, in the place of an earlier one of the same key. */
  private set(path: string[], texts: string[] | null): void {
    const before = this.value(path);
    if (JSON.stringify(before) === JSON.stringify(texts)) return;
    const changes = [...this.changes.filter((one) => !same_path(one.path, path)), { path, texts }];
    const original = this.outline.settings.find((one) => same_path(one.path, path))?.texts ?? null;
    const kept = JSON.stringify(original) === JSON.stringify(texts) ? changes.filter((one) => !same_path(one.path, path)) : changes;
    this.past = [...this.past.slice(0, this.at + 1), kept];
    this.go(this.at + 1);
  }

  private go(to: number): void {
    const before = this.changes;
    this.at = to;
    const differ = (one: Change, others: Change[]) => !others.some((other) => JSON.stringify(other) === JSON.stringify(one));
    const paths = [...before.filter((one) => differ(one, this.changes)), ...this.changes.filter((one) => differ(one, before))].map((one) => one.path);
    const wanted = new Set(paths.flatMap(touched));
    void this.compute(everything.filter((command) => wanted.has(command)));
  }

  /** Chapter after chapter; a newer round ends an older one. */
  async compute(commands: string[]): Promise<void> {
    const round = ++this.round;
    const begun = performance.now();
    this.wrong = [];
    this.problem.textContent = "";
    this.show();
    const waiting = new Set([...this.unfinished, ...commands]);
    const order = (commands.length === this.outline.chapters.length ? commands : everything).filter((one) => waiting.has(one));
    this.unfinished = waiting;
    let first = true;
    for (const command of order) {
      this.told.textContent = `Computing: ${command} …`;
      try {
        if (first && command === "frontier") {
          const corners = await this.link.frontier(this.changes);
          if (round !== this.round) return;
          this.page.moved(corners);
          this.bar.dataset["moved"] = String(performance.now() - begun);
        }
        const quick = command === "weigh";
        let answer = await this.link.chapter(command, this.changes, quick ? soon : undefined);
        if (round !== this.round) return;
        this.page.arrived(answer);
        if (quick && is_unproven(answer)) {
          this.told.textContent = "The best positions found so far are shown, with how far they may be from the best. Searching on …";
          answer = await this.link.chapter(command, this.changes);
          if (round !== this.round) return;
          this.page.arrived(answer);
        }
        this.has_shown = true;
        waiting.delete(command);
        if (first) this.bar.dataset["taken"] = String(performance.now() - begun);
      } catch (error) {
        if (round !== this.round || error instanceof Overtaken) return;
        if (!(error instanceof Refused)) throw error;
        if (first && this.has_shown) return this.say(error);
        waiting.delete(command);
        this.page.failed(command, error.message);
      }
      first = false;
    }
    this.told.textContent = this.changes.length === 0 ? "As the mandate has it." : `${this.changes.length} changed. Computed in ${Math.round(performance.now() - begun)} ms.`;
  }
  private unfinished = new Set<string>();
  private has_shown = false; // then what cannot be computed leaves it as it was

  private say(error: Refused): void {
    this.wrong = error.limits;
    this.problem.textContent = error.message;
    this.told.textContent = "What you see is from before the last change.";
    this.show();
  }

  private async keep(): Promise<void> {
    try {
      const { name } = await this.link.keep(this.changes);
      this.told.textContent = `Kept as ${name}, beside ${this.outline.mandate}.`;
    } catch (error) {
      if (!(error instanceof Refused)) throw error;
      this.told.textContent = error.message;
    }
  }

  private readonly tools = [
    button("Undo", "Take the last change back", () => this.go(this.at - 1)),
    button("Redo", "Make it again", () => this.go(this.at + 1)),
    button("As the mandate", "Take all changes back, as one that can be undone", () => {
      this.past = [...this.past.slice(0, this.at + 1), []];
      this.go(this.at + 1);
    }),
    button("Keep as mandate", "Write a mandate beside the old one, which stays as it is", () => void this.keep()),
  ];
  private readonly rows = new Map<string, Row>();
  private readonly list = element("div", { class: "rows" });

  /** What stays is kept as it is, and with it what has the focus. */
  private show(): void {
    const can = [this.at > 0, this.at + 1 < this.past.length, this.changes.length > 0, this.changes.length > 0 && this.problem.textContent === ""];
    this.tools.forEach((one, k) => (one.disabled = !can[k]));
    const settings = this.settings();
    const keys = settings.map((one) => one.path.join("\n"));
    if (this.list.children.length === 0 || keys.join("\r") !== [...this.rows.keys()].join("\r")) {
      this.rows.clear();
      settings.forEach((one, k) => this.rows.set(keys[k]!, this.row(one)));
      this.list.replaceChildren(...[...this.rows.values()].map((row) => row.box), this.adder());
    }
    settings.forEach(({ path }, k) => {
      const { field, mark } = this.rows.get(keys[k]!)!;
      mark.textContent = this.changes.some((one) => same_path(one.path, path)) ? " changed" : "";
      if (field !== document.activeElement) field.value = shown(this.value(path));
      field.setAttribute("aria-invalid", String(path[0] === "limits" && this.wrong.includes(path[1]!)));
    });
  }

  private frame(): void {
    const choice = element("select", { "aria-label": "What to change" }, ...groups.map(([table, name]) => element("option", { value: table }, name)));
    choice.addEventListener("change", () => {
      this.table = choice.value;
      this.list.replaceChildren();
      this.show();
    });
    this.bar.append(...this.tools, this.told);
    this.panel.append(element("summary", {}, "Change the mandate"), choice,
      element("span", { class: "quiet" }, " Up and down move the figure at the caret; Enter or leaving the field computes."), this.list, this.problem);
  }

  private row({ path, takes, help }: Setting): Row {
    const name = path.slice(1).join(" · ").replaceAll("_", " ");
    const field = takes === "yes_or_no"
      ? element("select", {}, element("option", { value: "true" }, "yes"), element("option", { value: "false" }, "no"))
      : element("input", { type: "text", spellcheck: "false" });
    field.setAttribute("aria-label", name);
    field.title = help;
    const mark = element("b");
    const commit = () => this.set(path, takes === "list" ? field.value.split(",").map((one) => one.trim()).filter((one) => one !== "") : [field.value.trim()]);
    field.addEventListener("change", commit);
    if (field instanceof HTMLInputElement) this.nudge(field, commit);
    const box = element("label", {}, element("span", { title: help }, name, mark), field, button("×", `Take ${name} out`, () => this.set(path, null)));
    return { box, field, mark };
  }

  private nudge(field: HTMLInputElement, commit: () => void): void {
    field.addEventListener("keydown", ((event: KeyboardEvent) => {
      const step = event.key === "ArrowUp" ? 1 : event.key === "ArrowDown" ? -1 : 0;
      const caret = field.selectionStart ?? 0;
      const moved = step === 0 ? null : nudged(field.value, caret, step);
      if (moved === null) return;
      event.preventDefault();
      field.value = moved;
      field.setSelectionRange(caret, caret);
      commit();
    }) as EventListener);
  }

  /** A row for a key that the mandate does not have. */
  private adder(): HTMLElement {
    const keys = this.outline.keys.filter(({ key }) => key.startsWith(this.table + ".") && !(!key.includes("*") && this.value(key.split(".")) !== null));
    const listed = this.table === "limits" ? [] : keys;
    const options = element("datalist", { id: "keys-to-add" }, ...listed.map(({ key, help }) => element("option", { value: key.slice(this.table.length + 1) }, help)));
    const hint = this.table === "limits" ? "its name" : (listed[0]?.key.slice(this.table.length + 1) ?? "");
    const name = element("input", { type: "text", list: "keys-to-add", "aria-label": "What to add", placeholder: hint });
    const example = this.table === "limits" ? "each <= 12%" : (listed[0]?.example ?? "");
    const value = element("input", { type: "text", "aria-label": "Its value", placeholder: example, spellcheck: "false" });
    const add = () => {
      const typed = name.value.trim();
      if (typed === "" || value.value.trim() === "") return;
      const path = [this.table, ...(this.table === "limits" ? [typed] : parts_of(typed))];
      const takes = this.key_of(path)?.takes ?? "text";
      this.set(path, takes === "list" ? value.value.split(",").map((one) => one.trim()) : [value.value.trim()]);
    };
    value.addEventListener("keydown", (event) => event.key === "Enter" && add());
    return element("div", { class: "adder" }, options, name, value, button("Add", "Add it to the mandate", add));
  }
}

/** `sector:bonds.bps`: the last part is the key, all before it one name. */
function parts_of(typed: string): string[] {
  const dot = typed.lastIndexOf(".");
  return dot < 0 ? [typed] : [typed.slice(0, dot), typed.slice(dot + 1)];
}
