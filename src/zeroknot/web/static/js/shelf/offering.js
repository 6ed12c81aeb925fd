// @ts-check
/** A loop that was printed here, offered to the exchange: who made it and its licence are remembered. */

import { post } from "../net/api.js";
import { section } from "../sections.js";

const KEPT_AS = "zeroknot.offering";

/** @param {import("./shared.js").Shared} shared */
export const offering = (shared) => {
  const { session } = shared;
  const kept = JSON.parse(localStorage.getItem(KEPT_AS) ?? "{}");

  return section(shared.whole, {
    offerMaker: kept.maker ?? "", offerLicence: kept.licence ?? "", isOffering: false,

    /** @param {string} maker */
    setOfferMaker(maker) {
      this.offerMaker = maker.trim();
      this.keepOffering();
    },

    /** @param {string} licence */
    setOfferLicence(licence) {
      this.offerLicence = licence.trim();
      this.keepOffering();
    },

    keepOffering() {
      localStorage.setItem(KEPT_AS, JSON.stringify({ maker: this.offerMaker, licence: this.offerLicence }));
    },

    async offer() {
      if (this.isOffering || !this.chosen) return;
      this.isOffering = true;
      const made = await shared.tried(() => post("/api/exchange/offers", { sha: this.chosen, maker: this.offerMaker, licence: this.offerLicence }));
      this.isOffering = false;
      if (made) session.say(`${made.name} is on the exchange now, ${made.licence}.`);
    },
  });
};
