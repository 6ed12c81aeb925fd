// @ts-check
/** What stands around the views: notices, the list of keys, the palette switch. */

import { connection } from "../net/connection.js";
import { printed } from "../ui/chords.js";
import { bindKeys, boundKeys } from "../ui/keys.js";

const SHOWN_MS = 6_000;
const ERROR_SHOWN_MS = 12_000;

/** @param {import("../session.js").Session} session */
export const notices = (session) => () => {
  /** @type {Map<number, () => void>} */
  const actions = new Map();
  let next = 1;
  return {
    /** @type {{id: number, text: string, kind: string, label: string}[]} */
    notices: [],

    init() {
      session.say = (text, kind = "info", action = undefined) => {
        const id = next;
        next += 1;
        if (action) actions.set(id, action.run);
        this.notices = [...this.notices.slice(-3), { id, text, kind, label: action?.label ?? "" }];
        setTimeout(() => this.close(id), kind === "error" ? ERROR_SHOWN_MS : SHOWN_MS);
      };
    },

    /** @param {number} id */
    act(id) {
      actions.get(id)?.();
      this.close(id);
    },

    /** @param {number} id */
    close(id) {
      actions.delete(id);
      this.notices = this.notices.filter((n) => n.id !== id);
    },
  };
};

/** The one quiet line that says that the server does not answer. */
export const away = () => ({
  isAway: false,

  init() {
    connection.watchers.add(() => {
      this.isAway = connection.isAway;
    });
  },
});

export const help = () => ({
  /** @type {{title: string, bindings: {keys: string[], does: string}[]}[]} */
  layers: [],

  init() {
    bindKeys("Help", [{ key: "?", does: "these keys", run: () => this.toggle() }]);
  },

  toggle() {
    const dialog = /** @type {HTMLDialogElement} */ (document.getElementById("keys"));
    if (dialog.open) {
      dialog.close();
      return;
    }
    this.layers = boundKeys().reverse().map(({ title, bindings }) => ({
      title, bindings: bindings.map(({ key, does }) => ({ keys: printed(key), does })),
    }));
    dialog.showModal();
  },
});

/** @param {import("../session.js").Session} session */
export const paletteSwitch = (session) => () => ({
  toggle() {
    const root = document.documentElement;
    const isNight = root.dataset.palette
      ? root.dataset.palette === "night"
      : matchMedia("(prefers-color-scheme: dark)").matches;
    root.dataset.palette = isNight ? "day" : "night";
    localStorage.setItem("zeroknot.palette", root.dataset.palette);
    session.changed();
  },
});
