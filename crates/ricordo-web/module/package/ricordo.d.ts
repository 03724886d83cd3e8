export * from "./ricordo_core.js";

/** A source of WebAssembly: the address of the file, a response, its bytes, or a compiled module. */
export type WasmSource = string | URL | Request | Response | BufferSource | (WebAssembly.Module & object);

/** The sources of the WebAssembly, if they are not beside `ricordo.js`. */
export interface LoadOptions {
  /** `ricordo_core.wasm`, which every form needs. */
  core?: WasmSource | Promise<WasmSource> | (() => WasmSource | Promise<WasmSource>);
  /** `ricordo_rest.wasm`, for formulas, patterns, journals, explanations and dumps. */
  rest?: WasmSource | Promise<WasmSource> | (() => WasmSource | Promise<WasmSource>);
}

/**
 * Loads the WebAssembly: all of it or, given a definition or a list of them, only the files that their forms need. Forms without
 * formulas and patterns need one file less; until that is loaded, `journal`, `replay`, `explain` and `dump` throw, and so does `new Form`
 * with a definition that has formulas. Each file is loaded once: a later call adds the missing one.
 */
export default function load(definition?: object | string | null, from?: LoadOptions): Promise<void>;
