// @ts-check
/** The list of projects: make, duplicate, remove, put back, bring in. */

import { ApiError, getJson, post, putFile } from "../net/api.js";
import { shelved } from "../shelf/bringing.js";

const message = /** @type {HTMLElement} */ (document.getElementById("message"));

/** @param {() => Promise<void>} work */
async function tried(work) {
  try {
    await work();
  } catch (error) {
    if (!(error instanceof ApiError)) throw error;
    message.textContent = error.message;
    message.hidden = false;
  }
}

document.getElementById("new-project")?.addEventListener("submit", (event) => {
  event.preventDefault();
  const form = new FormData(/** @type {HTMLFormElement} */ (event.target));
  void tried(async () => {
    const name = String(form.get("name") ?? "").trim() || "Untitled";
    const made = await post("/api/projects", { name, rate: Number(form.get("rate")) });
    location.href = `/p/${made.id}/shelf`;
  });
});

for (const button of document.querySelectorAll("button[data-do]")) {
  button.addEventListener("click", () => tried(async () => {
    const { project } = /** @type {HTMLElement} */ (button.closest("[data-project]")).dataset;
    await post(`/api/projects/${project}/${button.getAttribute("data-do")}`);
    location.reload();
  }));
}

document.getElementById("first-loop")?.addEventListener("change", (event) => {
  const file = /** @type {HTMLInputElement} */ (event.target).files?.[0];
  if (!file) return;
  void tried(async () => {
    const name = file.name.replace(/\.[^.]+$/, "").slice(0, 300) || "Untitled";
    // The file first: one that cannot be read leaves no empty project behind.
    const item = await putFile(`/api/incoming?name=${encodeURIComponent(file.name)}`, file);
    message.textContent = `Listening to ${file.name}…`;
    message.hidden = false;
    const sha = await shelved(item.id);
    if (!sha) throw new ApiError(await refusalOf(item.id), 422);
    const made = await post("/api/projects", { name, rate: 44100 });
    location.href = `/p/${made.id}/fit/${sha}`;
  });
});

const demo = /** @type {HTMLButtonElement | null} */ (document.getElementById("demo"));
demo?.addEventListener("click", () => tried(async () => {
  demo.disabled = true;
  message.textContent = "Making the demo: its loops are listened to…";
  message.hidden = false;
  try {
    const made = await post("/api/demo");
    location.href = `/p/${made.id}/arrange`;
  } finally {
    demo.disabled = false;
  }
}));

/** Why a file was not taken. @param {string} id */
async function refusalOf(id) {
  const item = await getJson(`/api/bring/items/${id}`);
  return `${item.name}: ${item.reason}`;
}

document.getElementById("bundle")?.addEventListener("change", (event) => {
  const file = /** @type {HTMLInputElement} */ (event.target).files?.[0];
  if (!file) return;
  void tried(async () => {
    const made = await putFile("/api/bundles", file);
    location.href = `/p/${made.id}/arrange`;
  });
});
