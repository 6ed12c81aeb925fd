// @ts-check
/** Slices and their order as files, and an order from a file. */

import { putFile } from "../net/api.js";
import { section } from "../sections.js";
import { downloadFile } from "../shelf/download.js";

/** @param {import("./shared.js").Shared} shared */
export const out = (shared) => {
  const { session, held } = shared;

  return section(shared.whole, {
    saving: "",

    /** @param {string} file of what is in hand */
    async save(file) {
      if (this.saving) return;
      this.saving = file;
      await downloadFile(session, `${held.path}/${file}?beat=${held.beat}`, file);
      this.saving = "";
    },

    /** @param {HTMLInputElement} field */
    async bringOrder(field) {
      const file = field.files?.[0];
      field.value = "";
      if (!file) return;
      const done = await session.queue(() => putFile(`${held.path}/order?revision=${session.state.revision}`, file));
      await held.refresh();
      if (done) session.say(`It plays the order of ${file.name} now.`);
    },
  });
};
