// Loads the WebAssembly of the package: one file for every form, and the rest for formulas and diagnostics.
import start, { restIsHere } from "./ricordo_core.js";

export * from "./ricordo_core.js";

// The keywords of a definition that have formulas or patterns as texts. A false match only loads more than is needed.
const formulas = /"(?:calculate|suggest|relevant|readonly|required|minimum|maximum|choices|pattern)"\s*:\s*"|"(?:counterpart|constraint)"\s*:/;

let core, rest;

export default async function load(definition, from = {}) {
  const text = typeof definition === "string" ? definition : JSON.stringify(definition ?? null);
  const needsRest = text === "null" || formulas.test(text);
  core ??= begun(() => start({ module_or_path: given(from.core) ?? new URL("ricordo_core.wasm", import.meta.url) }), () => (core = undefined));
  if (!needsRest) return void (await core);
  rest ??= begun(async () => {
    // Both files are on their way at the same time.
    const [first, module] = await Promise.all([core, compiled(given(from.rest) ?? new URL("ricordo_rest.wasm", import.meta.url))]);
    await WebAssembly.instantiate(module, { first });
    restIsHere();
  }, () => (rest = undefined));
  await Promise.all([core, rest]);
}

/** Starts a task, and forgets it if it fails, so that it can be tried again. */
function begun(what, forget) {
  const promise = Promise.resolve().then(what);
  promise.catch(forget);
  return promise;
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
