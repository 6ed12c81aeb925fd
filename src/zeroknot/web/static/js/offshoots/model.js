// @ts-check
/** A family as a tree: who stands where, who is next to whom. Pure. */

/** @typedef {import("api").FamilyMember} Member */
/** @typedef {{member: Member, x: number, y: number, generation: number, folded: number}} Place x, y: its upper left corner, in the tree's own pixels; folded: how many below it are not shown */
/** @typedef {{places: Place[], links: [Place, Place, boolean][], width: number, height: number}} Tree links: parent, child, and is it the one it is drawn under? */

export const CARD = { width: 186, height: 64, across: 74, down: 14 };

/** The parent that one is drawn under, of those that are there. @param {Member} member @param {Map<string, Member>} known */
const above = (member, known) => member.parents.find((p) => known.has(p)) ?? null;

/**
 * Where each stands: generations from left to right, children beside their parents.
 * @param {readonly Member[]} members parents before their children @param {ReadonlySet<string>} folded whose children are not shown @returns {Tree}
 */
export function treeOf(members, folded) {
  const known = new Map(members.map((m) => [m.id, m]));
  /** @type {Map<string | null, Member[]>} */
  const children = new Map();
  for (const member of members) {
    const parent = above(member, known);
    children.set(parent, [...(children.get(parent) ?? []), member]);
  }
  /** @type {Map<string, Place>} */
  const places = new Map();
  let row = 0;
  /** @param {Member} member @param {number} generation @returns {number} its row */
  const stand = (member, generation) => {
    const own = children.get(member.id) ?? [];
    const hidden = folded.has(member.id) ? countBelow(own, children) : 0;
    const rows = hidden ? [] : own.map((child) => stand(child, generation + 1));
    const at = rows.length ? (rows[0] + rows[rows.length - 1]) / 2 : row++;
    places.set(member.id, { member, generation, folded: hidden, x: generation * (CARD.width + CARD.across), y: at * (CARD.height + CARD.down) });
    return at;
  };
  for (const root of children.get(null) ?? []) stand(root, 0);
  const shown = [...places.values()].sort((a, b) => a.generation - b.generation || a.y - b.y);
  /** @type {Tree["links"]} */
  const links = [];
  for (const place of shown) {
    const main = above(place.member, known);
    for (const parent of place.member.parents) {
      const from = places.get(parent);
      if (from) links.push([from, place, parent === main]);
    }
  }
  const width = Math.max(0, ...shown.map((p) => p.x + CARD.width));
  return { places: shown, links, width, height: Math.max(1, row) * (CARD.height + CARD.down) - CARD.down };
}

/** @param {Member[]} members @param {Map<string | null, Member[]>} children @returns {number} */
function countBelow(members, children) {
  return members.reduce((sum, m) => sum + 1 + countBelow(children.get(m.id) ?? [], children), 0);
}

/**
 * Who is reached from one by an arrow: its parent, its first child, or who stands over or under it in its generation.
 * @param {Tree} tree @param {string} id @param {"left" | "right" | "up" | "down"} way @returns {string | null}
 */
export function nextTo(tree, id, way) {
  const at = tree.places.find((p) => p.member.id === id);
  if (!at) return tree.places[0]?.member.id ?? null;
  if (way === "left") return tree.links.find(([, child, isMain]) => child === at && isMain)?.[0].member.id ?? null;
  if (way === "right") {
    const own = tree.links.filter(([parent, , isMain]) => parent === at && isMain).map(([, child]) => child);
    return own[0]?.member.id ?? null;
  }
  const peers = tree.places.filter((p) => p.generation === at.generation);
  return peers[peers.indexOf(at) + (way === "up" ? -1 : 1)]?.member.id ?? null;
}

/** The one at the top of its line. @param {readonly Member[]} members @param {string} id @returns {string} */
export function originalOf(members, id) {
  const known = new Map(members.map((m) => [m.id, m]));
  let at = known.get(id);
  for (let i = 0; at && i < members.length; i += 1) {
    const parent = above(at, known);
    if (!parent) break;
    at = known.get(parent);
  }
  return at?.id ?? id;
}

/** Who stands at a point of the tree. @param {Tree} tree @param {number} x @param {number} y @returns {Place | null} */
export const placeAt = (tree, x, y) => tree.places.find((p) => x >= p.x && x <= p.x + CARD.width && y >= p.y && y <= p.y + CARD.height) ?? null;

/**
 * How far the tree is shifted and how large it is so that all of it is to be seen.
 * @param {Tree} tree @param {number} width @param {number} height
 */
export function wholeView(tree, width, height) {
  const edge = 28;
  const zoom = Math.min(1, (width - 2 * edge) / Math.max(1, tree.width), (height - 2 * edge) / Math.max(1, tree.height));
  return { zoom: Math.max(0.04, zoom), x: edge, y: Math.max(edge, (height - tree.height * zoom) / 2) };
}
