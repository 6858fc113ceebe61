// Keeve's own Python, on this device: what was tapped comes in, what is shown next goes out. It lies beside what it runs.
import { loadPyodide } from "./pyodide.mjs";

const here = new URL(".", import.meta.url).href;
const [FILES, SNAPSHOT, PREPARED] = ["keeve-files", `${here}snapshot.bin`, `${here}prepared.zip`];
const bytes = async (address) => (await fetch(address)).arrayBuffer();
const [WHEEL, KEEVE] = [`${here}pydantic_core.whl`, `${here}keeve.zip`];

// What this device made of the files once: the interpreter as it is after its start, and Keeve compiled for it.
async function prepared() {
  const files = await caches.open(FILES);
  const [snapshot, zip] = await Promise.all([files.match(SNAPSHOT), files.match(PREPARED)]);
  return snapshot && zip && { snapshot: new Uint8Array(await snapshot.arrayBuffer()), zip: await zip.arrayBuffer() };
}

async function started() {
  const [found, wheel] = await Promise.all([prepared().catch(() => null), bytes(WHEEL)]);
  if (found) {
    try {
      const python = await loadPyodide({ indexURL: here, _loadSnapshot: found.snapshot });
      return device(python, wheel, found.zip);
    } catch {
      // Another browser than the one that made it, perhaps: it starts as the first time.
    }
  }
  const [python, keeve] = await Promise.all([loadPyodide({ indexURL: here }), bytes(KEEVE)]);
  return device(python, wheel, keeve);
}

function device(python, wheel, keeve) {
  python.unpackArchive(wheel, "wheel");
  python.unpackArchive(keeve, "zip", { extractDir: "/keeve" });
  python.runPython("import importlib, sys; sys.path.insert(0, '/keeve'); importlib.invalidate_caches()");
  return python.pyimport("keeve.on_device.device");
}

// Done once for each version, in a worker of its own: every later start takes a third of the time.
async function prepare() {
  const [python, wheel, keeve] = await Promise.all([loadPyodide({ indexURL: here, _makeSnapshot: true }), bytes(WHEEL), bytes(KEEVE)]);
  python.unpackArchive(keeve, "zip", { extractDir: "/keeve" });
  python.runPython("import sys; sys.path.insert(0, '/keeve')");
  const made = python.pyimport("keeve.on_device.prepare");
  made.compiled();
  const snapshot = python.makeMemorySnapshot();
  // Nothing compiled may be in it.
  python.unpackArchive(wheel, "wheel");
  const zip = python.FS.readFile(made.packed());
  const files = await caches.open(FILES);
  await files.put(SNAPSHOT, new Response(snapshot));
  await files.put(PREPARED, new Response(zip));
  for (const { url } of await files.keys()) {
    const isOld = !url.startsWith(here) && [SNAPSHOT, PREPARED].some((address) => url.endsWith(address.slice(here.length)));
    if (isOld) await files.delete(url);
  }
  return true;
}

let running = null;
addEventListener("message", async ({ data: { number, act, given } }) => {
  try {
    if (act === "prepare") return postMessage({ number, found: await prepare() });
    running = running || started();
    postMessage({ number, found: (await running)[act](...given) });
  } catch (fault) {
    postMessage({ number, fault: String(fault) });
  }
});
