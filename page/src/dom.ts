// Elements by their parts; what is shown is always text, never markup.

type Part = Node | string | null;

export function element<Tag extends keyof HTMLElementTagNameMap>(
  tag: Tag,
  attributes: Record<string, string> = {},
  ...parts: Part[]
): HTMLElementTagNameMap[Tag] {
  const made = document.createElement(tag);
  for (const [name, value] of Object.entries(attributes)) made.setAttribute(name, value);
  for (const part of parts) if (part !== null) made.append(part);
  return made;
}

export function button(text: string, hint: string, press: () => void): HTMLButtonElement {
  const made = element("button", { type: "button", title: hint }, text);
  made.addEventListener("click", press);
  return made;
}

/** Of a drawing; what it says is text too. */
export const svg = (tag: string, attributes: Record<string, string | number>, text = ""): SVGElement => {
  const made = document.createElementNS("http://www.w3.org/2000/svg", tag);
  for (const [name, value] of Object.entries(attributes)) made.setAttribute(name, String(value));
  made.textContent = text;
  return made;
};

/** Hands a file to the user. */
export function save(name: string, content: Blob | string, type = "text/csv"): void {
  const blob = typeof content === "string" ? new Blob([content], { type }) : content;
  const link = element("a", { href: URL.createObjectURL(blob), download: name });
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 10_000);
}
