// @ts-check
/**
 * The rows of a long list, a page at a time: what is in sight is fetched, the rest is only counted.
 */

import { ApiError, getJson, isGivenUp } from "../net/api.js";

/** @typedef {import("../types.js").ShelfRow} ShelfRow */
/** @typedef {import("../types.js").Found} Found */

export const ROW_PIXELS = 45;
const BEYOND = 6;

/** Which rows are in sight, some more on either side. @param {number} top scrolled pixels @param {number} height pixels @param {number} total rows */
export function inSight(top, height, total) {
  const first = Math.max(0, Math.floor(top / ROW_PIXELS) - BEYOND);
  const last = Math.min(total, Math.ceil((top + height) / ROW_PIXELS) + BEYOND);
  return { first: Math.min(first, total), last };
}

/** Addresses of a search: every value of a list is a parameter of its own. @param {Record<string, unknown>} asked */
export function queryOf(asked) {
  const query = new URLSearchParams();
  for (const [name, value] of Object.entries(asked)) {
    if (value === null || value === "" || value === false) continue;
    for (const one of Array.isArray(value) ? value : [value]) query.append(name, String(one));
  }
  return query;
}

export class ShelfList {
  /** @param {number} pageRows @param {(message: string) => void} trouble */
  constructor(pageRows, trouble) {
    this.pageRows = pageRows;
    this.trouble = trouble;
    /** @type {Map<number, ShelfRow[]>} */
    this.pages = new Map();
    /** What was there before the same was asked again: shown until the new has come. @type {Map<number, ShelfRow[]>} */
    this.stale = new Map();
    this.total = 0;
    this.turn = 0;
    this.asked = new URLSearchParams();
    /** @type {Set<number>} */
    this.coming = new Set();
    /** @type {Promise<string[]> | null} */
    this.shas_ = null;
  }

  /** @param {Found} found its first page */
  begin(found) {
    this.pages = new Map([[0, found.rows]]);
    this.stale = new Map();
    this.total = found.total;
    this.shas_ = null;
  }

  /**
   * Ask for a search; null where another was asked for meanwhile.
   * @param {URLSearchParams} asked @returns {Promise<Found | null>}
   */
  async search(asked) {
    this.turn += 1;
    const turn = this.turn;
    this.asking?.abort();
    this.asking = new AbortController();
    const isSame = String(asked) === String(this.asked);
    this.asked = asked;
    const found = await getJson(`/api/shelf?${asked}&first=0&count=${this.pageRows}`, this.asking.signal)
      .catch((error) => {
        if (isGivenUp(error)) return null; // another was asked for
        throw error;
      });
    if (!found || turn !== this.turn) return null;
    this.coming.clear();
    const before = this.pages;
    this.begin(found);
    if (isSame) this.stale = before;
    return found;
  }

  /** The row at a place, if it is here. @param {number} index @returns {ShelfRow | null} */
  at(index) {
    const page = Math.floor(index / this.pageRows);
    return (this.pages.get(page) ?? this.stale.get(page))?.[index % this.pageRows] ?? null;
  }

  /** Fetch what is missing of some rows. @param {number} first @param {number} last @returns {Promise<boolean>} whether anything came */
  async need(first, last) {
    const { turn } = this;
    const wanted = [];
    const end = Math.min(last, this.total) - 1;
    for (let page = Math.floor(first / this.pageRows); page <= Math.floor(end / this.pageRows); page += 1) {
      if (!this.pages.has(page) && !this.coming.has(page)) wanted.push(page);
    }
    if (!wanted.length) return false;
    for (const page of wanted) this.coming.add(page);
    try {
      await Promise.all(wanted.map(async (page) => {
        const at = page * this.pageRows;
        const found = await getJson(`/api/shelf?${this.asked}&first=${at}&count=${this.pageRows}`);
        if (turn === this.turn) this.pages.set(page, found.rows);
      }));
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      this.trouble(error.message);
      return false;
    } finally {
      for (const page of wanted) this.coming.delete(page);
    }
    return turn === this.turn;
  }

  /** Every hash that is found, in order: to choose many at once. @returns {Promise<string[]>} */
  shas() {
    this.shas_ ??= getJson(`/api/shelf/shas?${this.asked}`);
    return this.shas_;
  }

  /** Where a loop stands among what is here; −1 where it is not. @param {string} sha */
  placeOf(sha) {
    for (const [page, rows] of this.pages) {
      const at = rows.findIndex((row) => row.sha === sha);
      if (at >= 0) return page * this.pageRows + at;
    }
    return -1;
  }
}
