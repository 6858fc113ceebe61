// Keeve's own Python, on this device: what was tapped comes in, what is shown next goes out. It lies beside what it runs.
import { loadPyodide } from "./pyodide.mjs";

const here = new URL(".", import.meta.url).href;
const bytes = async (name) => (await fetch(here + name)).arrayBuffer();

async function started() {
  const [python, wheel, keeve] = await Promise.all([
    // Nothing is fetched from elsewhere: all of it lies here.
    loadPyodide({ indexURL: here }),
    bytes("pydantic_core.whl"),
    bytes("keeve.zip"),
  ]);
  python.unpackArchive(wheel, "wheel");
  python.unpackArchive(keeve, "zip", { extractDir: "/keeve" });
  python.runPython("import sys; sys.path.insert(0, '/keeve')");
  return python.pyimport("keeve.on_device.device");
}

const device = started();
addEventListener("message", async ({ data: { number, act, given } }) => {
  try {
    postMessage({ number, found: (await device)[act](...given) });
  } catch (fault) {
    postMessage({ number, fault: String(fault) });
  }
});
