// The page's way to the tool that serves it, where one does.

import type { Chapter, Corner, Document, Moves } from "./data";
import { corners_of } from "./data";

/** A key of the mandate with its value, or with none: then it is taken out. */
export interface Change {
  path: string[];
  texts: string[] | null;
}
export interface Setting {
  path: string[];
  texts: string[];
  takes: "text" | "list" | "yes_or_no";
  help: string;
}
export interface Key {
  key: string;
  takes: "text" | "list" | "yes_or_no";
  help: string;
  usual: string;
  example: string;
}
export interface Outline {
  version: string;
  mandate: string;
  title: string;
  currency: string;
  chapters: string[];
  settings: Setting[];
  keys: Key[];
}
export interface Answer {
  document: Document;
  view: Chapter;
  milliseconds: number;
}

/** Why there is no answer: in words, with the limits that it is about. */
export class Refused extends Error {
  constructor(problem: string, readonly limits: string[] = []) {
    super(problem);
  }
}
/** A newer request has taken the place of this one. */
export class Overtaken extends Error {}

const token_place = "token";

export class Link {
  private constructor(private readonly token: string, private readonly tab: string) {}

  /** None in a page that has its study in itself. The token leaves the address, so that a copied link doesn't hand it on. */
  static open(): Link | null {
    if (document.getElementById("study")) return null;
    const words = new URLSearchParams(location.hash.slice(1));
    const given = words.get("token");
    if (given !== null) {
      sessionStorage.setItem(token_place, given);
      words.delete("token");
      history.replaceState(null, "", words.size === 0 ? location.pathname : "#" + words.toString());
    }
    return new Link(sessionStorage.getItem(token_place) ?? "", crypto.randomUUID());
  }

  private async ask<Given>(path: string, body?: unknown): Promise<Given> {
    const asked = { "X-Token": this.token, "X-Tab": this.tab, ...(body === undefined ? {} : { "Content-Type": "application/json" }) };
    let response;
    try {
      response = await fetch(path, { method: body === undefined ? "GET" : "POST", headers: asked, body: body === undefined ? null : JSON.stringify(body) });
    } catch {
      throw new Refused("inchtide explore no longer answers. Start it again, and open the address that it prints.");
    }
    const given = (await response.json()) as Given & { problem?: string; limits?: string[]; stopped?: boolean };
    if (response.ok) return given;
    if (given.stopped) throw new Overtaken();
    throw new Refused(given.problem ?? `It was answered with ${response.status}`, given.limits);
  }

  outline = () => this.ask<Outline>("study");
  /** @param patience seconds for a search of positions; the tool's own without */
  chapter = (command: string, changes: Change[], patience?: number) => this.ask<Answer>("chapter", { command, changes, patience });
  /** The frontier alone, which is soon there. */
  frontier = async (changes: Change[]): Promise<Corner[]> => corners_of(await this.ask<Moves>("frontier", { changes }));
  keep = (changes: Change[]) => this.ask<{ name: string }>("keep", { changes });
}
