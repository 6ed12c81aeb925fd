// @ts-check
/** The list of projects: make, duplicate, remove, put back, bring in. */

import { ApiError, post, putFile } from "../net/api.js";

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
  tried(async () => {
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

document.getElementById("bundle")?.addEventListener("change", (event) => {
  const file = /** @type {HTMLInputElement} */ (event.target).files?.[0];
  if (!file) return;
  tried(async () => {
    const made = await putFile("/api/bundles", file);
    location.href = `/p/${made.id}/arrange`;
  });
});
