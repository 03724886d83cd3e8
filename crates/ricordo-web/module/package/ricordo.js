// Loads the WebAssembly of the package: one file for every form, and the rest for formulas and diagnostics.
import start, { restIsHere } from "./ricordo_core.js";

export * from "./ricordo_core.js";

// The keywords of a definition that have formulas or patterns as texts. A false match only loads more than is needed.
const formulas = /"(?:calculate|suggest|relevant|readonly|required|minimum|maximum|choices|pattern)"\s*:\s*"|"(?:counterpart|constraint)"\s*:/;

export default async function load(definition, from = {}) {
  const text = typeof definition === "string" ? definition : JSON.stringify(definition ?? null);
  const needsRest = text === "null" || formulas.test(text);
  const core = once("core", () => start({ module_or_path: given(from.core) ?? new URL("ricordo_core.wasm", import.meta.url) }));
  if (!needsRest) return void (await core);
  // Both files are on their way at the same time.
  const rest = once("rest", () => compiled(given(from.rest) ?? new URL("ricordo_rest.wasm", import.meta.url)));
  const [first, module] = await Promise.all([core, rest]);
  await once("whole", async () => {
    await WebAssembly.instantiate(module, { first });
    restIsHere();
  });
}

/** The tasks that were started, by their names. */
const tasks = new Map();

/** Starts a task the first time. If it fails, the next call starts it again. */
function once(name, task) {
  if (!tasks.has(name)) {
    const started = Promise.resolve().then(task);
    tasks.set(name, started);
    started.catch(() => tasks.delete(name));
  }
  return tasks.get(name);
}

/** A source, or the one that a function returns. */
function given(source) {
  return typeof source === "function" ? source() : source;
}

/** Compiles the module of a source: bytes, a module, a response, or an address. */
async function compiled(source) {
  let found = await source;
  if (typeof found === "string" || found instanceof URL || (globalThis.Request && found instanceof Request)) found = await fetch(found);
  if (globalThis.Response && found instanceof Response) {
    if (!found.ok) throw new Error(`${found.url} cannot be loaded: status ${found.status}`);
    found = await found.arrayBuffer();
  }
  return found instanceof WebAssembly.Module ? found : WebAssembly.compile(found);
}
