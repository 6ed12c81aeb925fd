// @ts-check
/** What browsers give to safe pages only: those of this machine or over https. */

export const NO_SOUND = "Browsers let a page play only when it comes from their own machine or over https. Open this one at an address that begins with https.";

export const mayPlay = () => globalThis.isSecureContext !== false;

/** A name that nobody else gives: a UUID, version 4 (RFC 9562). */
export function newId() {
  const bytes = crypto.getRandomValues(new Uint8Array(16));
  bytes[6] = (bytes[6] & 0x0f) | 0x40;
  bytes[8] = (bytes[8] & 0x3f) | 0x80;
  const hex = [...bytes].map((byte) => byte.toString(16).padStart(2, "0")).join("");
  return hex.replace(/^(.{8})(.{4})(.{4})(.{4})/, "$1-$2-$3-$4-");
}
