// Rows of a table that scrolls: of many only those in view are in the page, and all on paper.

import type { Cell } from "./data";
import { element } from "./dom";
import { at_end } from "./state";

/** Of longer tables no more rows than this. */
const most_at_once = 120;

/** Between two rows that stand for the others. */
export class RowsInView {
  private rows: Cell[][] = [];
  private first = 0;
  private height = 0; // of one, measured once
  private box: HTMLElement | null = null;
  private is_printed = false;

  constructor(private readonly body: HTMLElement, private readonly made: (row: Cell[]) => HTMLElement) {}

  within(box: HTMLElement): void {
    this.box = box;
    box.addEventListener("scroll", () => this.follow());
    const printed = (is_printed: boolean) => () => {
      this.is_printed = is_printed;
      if (this.rows.length > most_at_once) this.draw();
    };
    const [before, after] = [printed(true), printed(false)];
    window.addEventListener("beforeprint", before);
    window.addEventListener("afterprint", after);
    at_end(() => {
      window.removeEventListener("beforeprint", before);
      window.removeEventListener("afterprint", after);
    });
    this.draw();
  }

  show(rows: Cell[][]): void {
    this.rows = rows;
    this.first = 0;
    if (this.box) this.box.scrollTop = 0;
    this.draw();
  }

  private follow(): void {
    if (this.rows.length <= most_at_once || this.height === 0) return;
    const first = Math.max(0, Math.floor((this.box!.scrollTop / this.height - most_at_once / 4) / 20) * 20);
    if (first === this.first) return;
    this.first = first;
    this.draw();
  }

  draw(): void {
    const many = this.rows.length > most_at_once;
    const cut = many && !this.is_printed;
    this.box?.classList.toggle("long", many);
    const first = cut ? this.first : 0;
    const last = cut ? Math.min(this.rows.length, first + most_at_once) : this.rows.length;
    const stand_in = () => element("tr", { class: "stand-in", "aria-hidden": "true" }, element("td"));
    const [above, below] = [stand_in(), stand_in()];
    this.body.replaceChildren(...(first > 0 ? [above] : []), ...this.rows.slice(first, last).map((row, k) => {
      const line = this.made(row);
      if (cut) line.setAttribute("aria-rowindex", String(first + k + 2)); // after the heading
      return line;
    }), ...(last < this.rows.length ? [below] : []));
    if (!cut) return;
    if (this.height === 0) this.height = this.body.getBoundingClientRect().height / (last - first);
    above.style.height = `${first * this.height}px`;
    below.style.height = `${(this.rows.length - last) * this.height}px`;
  }
}
