// What is chosen in the page: one selection, one window of days and one mark for all sections. It stands in the
// address's fragment, so that a link opens the same view.

export interface State {
  picked: Set<string>;
  from: number | null; // days since 1970, of the window
  to: number | null;
  mark: number; // a place on the frontier
  pin: number | null;
  theme: "system" | "light" | "dark";
}
export type Part = keyof State;

const state: State = { picked: new Set(), from: null, to: null, mark: 0, pin: null, theme: "system" };
const listeners: { parts: Part[]; told: () => void }[] = [];

export const current = (): Readonly<State> => state;

export function listen(parts: Part[], told: () => void): void {
  listeners.push({ parts, told });
}

export function change(changes: Partial<State>): void {
  Object.assign(state, changes);
  const parts = Object.keys(changes) as Part[];
  for (const one of listeners) if (one.parts.some((part) => parts.includes(part))) one.told();
  write();
}

export function toggle(asset: string): void {
  const picked = new Set(state.picked);
  if (!picked.delete(asset)) picked.add(asset);
  change({ picked });
}

let waiting = 0;
function write(): void {
  clearTimeout(waiting);
  waiting = window.setTimeout(() => {
    const words = new URLSearchParams();
    if (state.picked.size > 0) words.set("pick", [...state.picked].join("\n"));
    if (state.from !== null && state.to !== null) words.set("days", `${state.from},${state.to}`);
    if (state.mark !== 0) words.set("mark", state.mark.toFixed(4));
    if (state.pin !== null) words.set("pin", state.pin.toFixed(4));
    if (state.theme !== "system") words.set("theme", state.theme);
    const fragment = words.toString();
    history.replaceState(null, "", fragment === "" ? location.pathname + location.search : "#" + fragment);
  }, 150);
}

/** Takes over what a link says; what it says of things that are not here is left out. */
export function read_address(known: Set<string>, places: number): void {
  const words = new URLSearchParams(location.hash.slice(1));
  const place = (name: string) => {
    const figure = Number(words.get(name) ?? "x");
    return Number.isFinite(figure) && figure >= 0 && figure <= places ? figure : null;
  };
  const [from, to] = (words.get("days") ?? "").split(",").map(Number);
  const window_given = from !== undefined && to !== undefined && from < to;
  const theme = words.get("theme");
  change({
    picked: new Set((words.get("pick") ?? "").split("\n").filter((asset) => known.has(asset))),
    from: window_given ? from : null,
    to: window_given ? to : null,
    mark: place("mark") ?? 0,
    pin: place("pin"),
    theme: theme === "light" || theme === "dark" ? theme : "system",
  });
}

/** Whether the page is drawn dark. */
export function is_dark(): boolean {
  if (state.theme !== "system") return state.theme === "dark";
  return matchMedia("(prefers-color-scheme: dark)").matches;
}
