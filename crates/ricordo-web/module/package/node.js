// Node reads the WebAssembly from the package's folder: its `fetch` knows no files.
import { readFile } from "node:fs/promises";
import load from "./ricordo.js";

export * from "./ricordo.js";

const read = (name) => () => readFile(new URL(name, import.meta.url));
const files = { core: read("ricordo_core.wasm"), rest: read("ricordo_rest.wasm") };

export default (definition, from) => load(definition, { ...files, ...from });
