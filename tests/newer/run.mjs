// Runs the tests of model, proof, source, survey, outline and census on the newest Python there is for WebAssembly.
//
//     node tests/newer/run.mjs SITE MODULES [TEST...]
//
// SITE: a folder with pure Python packages (pytest and what Dreck needs); MODULES: where npm has put `pyodide`.
import { createRequire } from "node:module";
import { dirname, resolve } from "node:path";
import { fileURLToPath, pathToFileURL } from "node:url";

const here = dirname(fileURLToPath(import.meta.url));
const [site, modules, ...tests] = process.argv.slice(2);
const found = createRequire(resolve(modules, "x.js")).resolve("pyodide/pyodide.mjs");
const { loadPyodide } = await import(pathToFileURL(found));
const python = await loadPyodide();
for (const [place, root] of [["/dreck", resolve(here, "../..")], ["/site", resolve(site)]]) {
  python.FS.mkdirTree(place);
  python.FS.mount(python.FS.filesystems.NODEFS, { root }, place);
}
python.globals.set("wanted", python.toPy(tests));
const code = python.runPython(`
import os, sys
os.chdir("/dreck")
sys.dont_write_bytecode = True
sys.path[:0] = ["/dreck/src", "/dreck"]
sys.path.append("/site")
from tests.newer.without_trees import run
run(list(wanted))
`);
process.exit(code);
