// @ts-check
/** Recipes that are handed on: as a file, by name, over other loops. */

import { getJson, post } from "../net/api.js";
import { section } from "../sections.js";

const WAYS = "/api/ways";
const MOST_BYTES = 8 * 1024 * 1024;

/** @param {import("./shared.js").Shared} shared */
export const ways = (shared) => {
  const { view, session } = shared;

  return section(shared.whole, {
    ways: /** @type {{id: string, name: string}[]} */ ([]), wayName: "", layOver: "",
    /** Loops that it may be laid over: those of the project, then those of the shelf. */
    others: /** @type {{sha: string, name: string}[]} */ ([]),

    async startWays() {
      view.scope.add(session.hear((event) => {
        if (event.kind === "ways" || event.kind === "missed") void this.loadWays();
      }));
      await this.loadWays();
      const shelf = await view.ask("others", (signal) => getJson(`/api/shelf?project=${session.state.id}&count=60`, signal));
      /** @type {Map<string, string>} */
      const found = new Map(session.state.strands.map((s) => [s.loop, s.name]));
      for (const row of shelf?.rows ?? []) found.set(row.sha, row.name);
      this.others = [...found].map(([sha, name]) => ({ sha, name }));
    },

    async loadWays() {
      this.ways = await view.ask("ways", (signal) => getJson(WAYS, signal)) ?? this.ways;
    },

    /** What was done to it, done to another loop. @param {HTMLSelectElement} select */
    async layOverOther(select) {
      const sha = select.value;
      select.value = "";
      if (sha && shared.one) await this.grown({ kind: "lay_recipe", of: shared.nameOf(shared.focused), over: [sha] }, sha);
    },

    /** @param {HTMLInputElement} input */
    async keepWay(input) {
      const name = input.value.trim();
      input.value = "";
      if (!shared.one || !name) return;
      const way = await view.ask("keepWay", (signal) => post(`${shared.path}/hand/${shared.nameOf(shared.focused)}/way`, { name }, { signal }));
      if (!way) return;
      session.history.kept(WAYS, way);
      await this.loadWays();
      session.say(`“${way.name}” is kept as a way of working: lay it over any loop here.`);
    },

    /** A way of working, done to the one that is chosen. @param {string} id */
    async followWay(id) {
      const { one } = shared;
      if (!one) return;
      if (one.kind === "grown") return session.say(`Keep ${one.name} first: a way of working is done to a loop.`);
      const told = await view.ask("way", (signal) => getJson(`${WAYS}/${id}`, signal));
      if (told) await this.grown({ kind: "take_recipe", text: JSON.stringify(told), over: [one.id] });
    },

    /** @param {{id: string, name: string}} way */
    async forgetWay(way) {
      if (await session.history.forget(WAYS, way)) void this.loadWays();
    },

    /** A recipe that came as a file: made again where its loops are here. @param {HTMLInputElement} input */
    async takeRecipe(input) {
      const [file] = input.files ?? [];
      input.value = "";
      if (!file) return;
      if (file.size > MOST_BYTES) return session.say(`${file.name} is too long to be a recipe.`, "error");
      await this.grown({ kind: "take_recipe", text: await file.text(), over: [] });
    },
  });
};
