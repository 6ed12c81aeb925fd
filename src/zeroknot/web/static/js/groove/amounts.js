// @ts-check
/** How much of the groove, of which hits; heard while it is dragged, one step of undo when it is let go. */

import { round } from "../format.js";
import { section } from "../sections.js";
import { REGISTERS } from "./model.js";

/** @typedef {"timing" | "accents" | "reach" | "sensitivity"} Amount */

/** @param {import("./shared.js").Shared} shared */
export const amounts = (shared) => {
  const { held } = shared;
  /** Whose hits are to move, while that is being done: two quick presses are two changes. @type {string[] | null} */
  let asked = null;

  return section(shared.whole, {
    isLaid: false, timing: 100, accents: 0, reach: 40, sensitivity: 65, apart: true, canTellApart: false, keepsLengths: true, isMidi: false,
    registers: /** @type {{key: string, pressed: string}[]} */ ([]),

    showAmounts() {
      const { laid, sensitivity } = shared.facts;
      this.isLaid = !!laid;
      this.timing = round(100 * (laid?.timing ?? 1), 1);
      this.accents = round(100 * (laid?.accents ?? 0), 1);
      this.reach = round(100 * (laid?.reach ?? shared.facts.reach), 1);
      this.sensitivity = round(100 * sensitivity, 1);
      this.apart = laid?.apart ?? true;
      this.canTellApart = Object.keys(laid?.groove?.rows ?? {}).length > 0;
      this.keepsLengths = laid?.keeps_lengths ?? true;
      this.isMidi = held.hand.file_kind === "midi";
      this.registers = REGISTERS.map((key) => ({ key, pressed: String(laid?.registers.includes(key) ?? true) }));
    },

    /** While the bar is dragged. @param {Amount} name @param {number} value percent */
    hearAmount(name, value) {
      shared.isHeld = true;
      void shared.tryOut({ kind: "set_groove", [name]: value / 100 }).then(() => this.showPicture());
    },

    /** @param {Amount} name @param {number} value percent */
    async setAmount(name, value) {
      shared.isHeld = false;
      shared.tried = null;
      const { laid } = shared.facts;
      const before = name === "sensitivity" ? shared.facts.sensitivity : laid?.[name];
      if (before === undefined || value === round(100 * before, 1)) {
        shared.trial.want(null);
        this.showPicture();
      } else await held.change({ kind: "set_groove", [name]: value / 100 });
    },

    /** @param {string} register */
    async toggleRegister(register) {
      const now = asked ?? shared.facts.laid?.registers ?? [];
      const meant = /** @type {("low" | "middle" | "high")[]} */ (REGISTERS.filter((r) => (r === register) !== now.includes(r)));
      asked = meant;
      await held.change({ kind: "set_groove", registers: meant });
      if (asked === meant) asked = null;
    },

    toggleApart() {
      void held.change({ kind: "set_groove", apart: !this.apart });
    },

    toggleLengths() {
      void held.change({ kind: "set_groove", keeps_lengths: !this.keepsLengths });
    },
  });
};
