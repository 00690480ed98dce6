// Runs a program of MicroPython in its build for a JavaScript engine.
//     node micropython_runner.mjs MODULE FOLDER HAPPENS DECIDED MEMORY AWAY_MS CUT_AFTER
import fs from "node:fs";
import path from "node:path";
import { pathToFileURL } from "node:url";

const [module, folder, happens, decided, memory, away, cutAfter] = process.argv.slice(2);
const { loadMicroPython } = await import(pathToFileURL(module));
const python = await loadMicroPython({ heapsize: 64 * 1024 * 1024, stdout: () => {}, stderr: (line) => console.error(line) });
for (const name of fs.readdirSync(folder)) {
    if (name.endsWith(".py")) {
        python.FS.writeFile("/" + name, fs.readFileSync(path.join(folder, name)));
    }
}
python.FS.writeFile("/happens", fs.readFileSync(happens));
const keeps = memory !== "-";
if (keeps && fs.existsSync(memory)) {
    python.FS.writeFile("/memory", fs.readFileSync(memory));
}
python.runPython(`
import sys
sys.path.insert(0, "/")
import board
board.run("/happens", "/decided", ${keeps ? '"/memory"' : '"-"'}, ${away}, ${cutAfter})
`);
fs.writeFileSync(decided, python.FS.readFile("/decided"));
if (keeps) {
    fs.writeFileSync(memory, python.FS.readFile("/memory"));
}
