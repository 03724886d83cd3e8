export * from "./ricordo_core.js";

/** What WebAssembly is made of: where the file is, an answer to a request, its bytes, or a compiled module. */
export type WasmSource = string | URL | Request | Response | BufferSource | WebAssembly.Module;

/** Where the WebAssembly comes from, if not from beside `ricordo.js`. */
export interface LoadOptions {
  /** What every form needs: `ricordo_core.wasm`. */
  core?: WasmSource | Promise<WasmSource> | (() => WasmSource | Promise<WasmSource>);
  /** Formulas, patterns, journals, explanations and dumps: `ricordo_rest.wasm`. */
  rest?: WasmSource | Promise<WasmSource> | (() => WasmSource | Promise<WasmSource>);
}

/**
 * Loads the WebAssembly: all of it or, for a definition, or a list of definitions, what forms of it need. Without formulas and
 * patterns that is less; `journal`, `replay`, `explain` and `dump` then throw, and so does a form of another definition that needs more. A
 * later call loads what is missing; what is there is not loaded again.
 */
export default function load(definition?: object | string | null, from?: LoadOptions): Promise<void>;
