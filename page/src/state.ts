// What is chosen in the page: one selection, one window of days and one mark for all sections. It stands in the
// address's fragment, so that a link opens the same view.

export interface State {
  picked: Set<string>;
  from: number | null; // days since 1970, of the window
  to: number | null;
  mark: number; // a place on the frontier
  pin: number | "held" | null; // a place on it, or what is held now
  level: number; // of trading costs, times the study's
  theme: "system" | "light" | "dark";
}
export type Part = keyof State;

const state: State = { picked: new Set(), from: null, to: null, mark: 0, pin: null, level: 1, theme: "system" };

/** A part of the page that can be made anew: what listens within it goes with it. */
export interface Scope {
  listeners: { parts: Part[]; told: () => void }[];
  ends: (() => void)[];
}
const scopes = new Map<string, Scope>([["page", { listeners: [], ends: [] }]]);
let scope = scopes.get("page")!;

export const current = (): Readonly<State> => state;
export const this_scope = (): Scope => scope;

export function in_scope<Made>(of: Scope, make: () => Made): Made {
  const before = scope;
  scope = of;
  try {
    return make();
  } finally {
    scope = before;
  }
}

/** Makes a part of the page; what an earlier one of the name listened to is over. */
export function make_anew<Made>(name: string, make: () => Made): Made {
  for (const end of scopes.get(name)?.ends ?? []) end();
  const made = { listeners: [], ends: [] };
  scopes.set(name, made);
  return in_scope(made, make);
}

export function listen(parts: Part[], told: () => void): void {
  scope.listeners.push({ parts, told });
}

/** Once this part of the page is made anew. */
export function at_end(end: () => void): void {
  scope.ends.push(end);
}

export function change(changes: Partial<State>): void {
  Object.assign(state, changes);
  const parts = Object.keys(changes) as Part[];
  for (const one of [...scopes.values()]) {
    for (const { parts: of, told } of one.listeners) if (of.some((part) => parts.includes(part))) in_scope(one, told);
  }
  write();
}

export function toggle(asset: string): void {
  const picked = new Set(state.picked);
  if (!picked.delete(asset)) picked.add(asset);
  change({ picked });
}

let waiting = 0;
let own: string | null = null; // what this page last read there, or wrote
function write(): void {
  clearTimeout(waiting);
  waiting = window.setTimeout(() => {
    if (own !== null && own !== location.hash) return; // a link was just put there, which is about to be followed
    const words = new URLSearchParams();
    if (state.picked.size > 0) words.set("pick", [...state.picked].join("\n"));
    if (state.from !== null && state.to !== null) words.set("days", `${state.from},${state.to}`);
    if (state.mark !== 0) words.set("mark", state.mark.toFixed(4));
    if (state.pin !== null) words.set("pin", state.pin === "held" ? "held" : state.pin.toFixed(4));
    if (state.level !== 1) words.set("costs", String(state.level));
    if (state.theme !== "system") words.set("theme", state.theme);
    const fragment = words.toString();
    history.replaceState(null, "", fragment === "" ? location.pathname + location.search : "#" + fragment);
    own = location.hash;
  }, 150);
}

/** What a link says is picked, whether it is here or not. */
export const linked_picks = () => (new URLSearchParams(location.hash.slice(1)).get("pick") ?? "").split("\n").filter((name) => name !== "");

/** Takes over what a link says; what it says of things that are not here is left out. */
export function read_address(known: Set<string>, places: number): void {
  own = location.hash;
  const words = new URLSearchParams(location.hash.slice(1));
  const place = (name: string) => {
    const figure = Number(words.get(name) ?? "x");
    return Number.isFinite(figure) && figure >= 0 && figure <= places ? figure : null;
  };
  const [from, to] = (words.get("days") ?? "").split(",").map(Number);
  const window_given = from !== undefined && to !== undefined && from < to;
  const theme = words.get("theme");
  const level = Number(words.get("costs") ?? "1");
  change({
    picked: new Set(linked_picks().filter((name) => known.has(name))),
    from: window_given ? from : null,
    to: window_given ? to : null,
    mark: place("mark") ?? 0,
    pin: words.get("pin") === "held" ? "held" : place("pin"),
    level: Number.isFinite(level) && level >= 0 ? level : 1,
    theme: theme === "light" || theme === "dark" ? theme : "system",
  });
}

/** Whether the page is drawn dark. */
export function is_dark(): boolean {
  if (state.theme !== "system") return state.theme === "dark";
  return matchMedia("(prefers-color-scheme: dark)").matches;
}
