// @ts-check
/** What is in hand, as the song plays it, printed to a new loop on the shelf. */

import { MadeHere } from "../made-here.js";
import { section } from "../sections.js";
import { downloadWav } from "../shelf/download.js";

/** @param {import("./shared.js").HandShared} shared */
export const printing = ({ session, held, view }) => {
  const here = new MadeHere(view);

  return section(null, {
    print: "wrap", hasLead: false, printLead: false, printing: false, printed: "", printedSha: "", isPrint: false, asPrinted: false,

    showPrint() {
      this.hasLead = held.hand.lead && held.hand.lead_beats > 0;
      [this.isPrint, this.asPrinted] = [held.hand.is_print, held.hand.is_print && !held.hand.is_made_again];
    },

    /** @param {string} seam */
    setPrint(seam) {
      this.print = seam;
    },

    togglePrintLead() {
      this.printLead = !this.printLead;
    },

    async doPrint() {
      if (this.printing) return;
      this.printing = true;
      const made = await session.make(`${session.path}/prints`, {
        hand: held.name, seam: this.print, with_lead: this.hasLead && this.printLead, beat: held.beat,
      });
      this.printing = false;
      if (!made) return;
      here.tell(made.sha, `${made.name}: ${made.frames} samples, on the shelf.`, (text) => { this.printed = text; });
      this.printedSha = made.sha;
    },

    /** The print is laid as it is, or its recipe is run again from its recordings. */
    async toggleAsPrinted() {
      await view.intent({ kind: "lay_as_printed", hand: held.name, as_printed: !this.asPrinted });
    },

    downloadPrint() {
      void downloadWav(session, this.printedSha);
    },
  });
};
