// Node reads the WebAssembly from the package's folder: its `fetch` knows no files.
import { readFile } from "node:fs/promises";
import load from "./ricordo.js";

export * from "./ricordo.js";

export default (given) => load(given ?? { module_or_path: readFile(new URL("ricordo_bg.wasm", import.meta.url)) });
