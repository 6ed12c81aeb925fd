// Evaluates what a Python test asks of the scripts: a line of JSON in, a line of JSON out.
import { createInterface } from "node:readline";

const SCRIPTS = new URL("../../src/zeroknot/web/static/js/", import.meta.url).href;

for await (const line of createInterface({ input: process.stdin })) {
  const { source, given } = JSON.parse(line);
  try {
    const asked = (0, eval)(`(${source.replaceAll("/static/js/", SCRIPTS)})`);
    console.log(JSON.stringify({ value: (await asked(given)) ?? null }));
  } catch (error) {
    console.log(JSON.stringify({ error: String(error?.stack ?? error) }));
  }
}
