// While Keeve, or the way to it, is gone: a bench that was opened here opens as it was, and what this device can draw by
// itself is drawn in a page that was kept for it.
// What is kept belongs to whoever this browser is in the hands of, a person in a crew; nobody else finds any of it.
const BENCHES = "keeve-benches-";
const HOLDER = "keeve-holder";
// Scripts, pictures and the interpreter: nobody's, and never another under their address.
const FILES = "keeve-files";
// Pages and what was drawn on them since.
const MOST = 40;
const MOST_FILES = 150;
const PATIENCE_MS = 4000;
const LONG_PATIENCE_MS = 10000;
// Whoever signs in or out, or goes to another crew, leaves nothing here for the next; the page that follows says who holds it then.
const CHANGES_HANDS = /^\/(sign-in|sign-out|demo|new-account|forgotten|reset|invitation|crew\/switch|account)(\/|$)/;
// What a device draws by itself, and what it is given for that.
const DRAWN_HERE = /^\/($|bench$|bench\/|plan$|plan\/quick$|plan\/[^/]+\/load\/\d+$)/;
const BEGINS = /^\/plan\/([^/]+)\/load\/(\d+)\/begin$/;
const SHELL = "/without-signal";
const PACK = "/pack.json";

self.addEventListener("install", () => self.skipWaiting());
self.addEventListener("activate", (event) => event.waitUntil(self.clients.claim()));
self.addEventListener("fetch", (event) => {
  const { request } = event;
  const { origin, pathname, search } = new URL(request.url);
  if (origin !== location.origin) return;
  if (request.method === "POST" && CHANGES_HANDS.test(pathname)) event.waitUntil(handOver(""));
  if (request.mode === "navigate") {
    const begins = request.method === "POST" && BEGINS.exec(pathname);
    if (begins) event.respondWith(begun(request, begins));
    else if (request.method === "GET" && pathname.startsWith("/bench/")) event.respondWith(bench(request));
    else if (request.method === "GET" && !CHANGES_HANDS.test(pathname)) event.respondWith(drawn(request, DRAWN_HERE.test(pathname)));
    return;
  }
  if (request.method !== "GET") return;
  if (pathname === PACK || pathname === SHELL) event.respondWith(keptAnew(request));
  else if (pathname.startsWith("/device/") || (pathname.startsWith("/static/") && search.startsWith("?v="))) {
    event.respondWith(file(request));
  }
});

self.addEventListener("message", (event) => {
  const { kind, holder, html } = event.data;
  if (kind === "holder") event.waitUntil(handOver(holder));
  if (kind === "keep") event.waitUntil(keepWhereMissing(event.source.url));
  if (kind === "drawn") event.waitUntil(put(holder, `${event.source.url}/act`, new Response(html)));
});

async function holderNow() {
  const found = await (await caches.open(HOLDER)).match("/");
  return found ? found.text() : "";
}

async function handOver(holder) {
  await (await caches.open(HOLDER)).put("/", new Response(holder));
  for (const name of await caches.keys()) {
    if (name.startsWith(BENCHES) && name !== BENCHES + holder) await caches.delete(name);
  }
}

// Under its address it is always the same: the first time it is fetched, later it is here.
async function file(request) {
  const files = await caches.open(FILES);
  const found = await files.match(request.url);
  if (found) return found;
  const answer = await fetch(request);
  if (answer.ok) {
    await files.put(request.url, answer.clone());
    await forgetOthers(files, new URL(request.url));
  }
  return answer;
}

// A file of another version goes once its like is here.
async function forgetOthers(files, { pathname, href }) {
  const kind = (path) => (path.startsWith("/device/") ? path.split("/").pop() : path);
  const keys = await files.keys();
  for (const { url } of keys) {
    if (url !== href && kind(new URL(url).pathname) === kind(pathname)) await files.delete(url);
  }
  for (const old of keys.slice(0, -MOST_FILES)) await files.delete(old);
}

// As of now, and kept for whoever it was made for.
async function keptAnew(request) {
  const answer = await fetch(request);
  const holder = answer.headers.get("Keeve-Holder");
  if (answer.ok && !answer.redirected && holder) await put(holder, new URL(request.url).pathname, answer.clone());
  return answer;
}

// The page that others are drawn into, where it was kept.
async function shell() {
  const holder = await holderNow();
  return holder ? (await caches.open(BENCHES + holder)).match(SHELL) : null;
}

// What this device cannot draw it says needs signal; a long paper may take as long as it takes.
async function drawn(request, isDrawnHere) {
  try {
    const patience = isDrawnHere ? { signal: AbortSignal.timeout(LONG_PATIENCE_MS) } : {};
    const answer = await fetch(request.url, { redirect: "manual", ...patience });
    if (answer.status < 500 || !isDrawnHere) return answer;
    return (await shell()) || answer;
  } catch (fault) {
    const found = await shell();
    if (found) return found;
    throw fault;
  }
}

async function begun(request, [, plan, number]) {
  try {
    const answer = await fetch(request);
    if (answer.status < 500) return answer;
  } catch (fault) {
    if (!(await shell())) throw fault;
  }
  return Response.redirect(`${SHELL}?begin=${plan}/${number}`, 303);
}

async function bench({ url }) {
  try {
    const answer = await fetch(url, { redirect: "manual", signal: AbortSignal.timeout(PATIENCE_MS) });
    await keep(url, answer.clone());
    return answer.status < 500 ? answer : (await asKept(url)) || answer;
  } catch (fault) {
    const found = (await asKept(url)) || (await shell());
    if (found) return found;
    throw fault;
  }
}

async function keepWhereMissing(url) {
  const benches = await caches.open(BENCHES + (await holderNow()));
  if (!(await benches.match(url))) await keep(url, await fetch(url));
}

// What was kept goes only once what takes its place is whole: the line may break in the middle of it.
async function keep(url, answer) {
  if (!answer.ok || answer.redirected) return;
  const holder = answer.headers.get("Keeve-Holder");
  const whole = new Response(await answer.blob(), { headers: answer.headers });
  const benches = await put(holder, url, whole);
  if (!benches) return;
  await benches.delete(`${url}/act`);
  const pages = (await benches.keys()).filter((one) => new URL(one.url).pathname.startsWith("/bench/"));
  for (const old of pages.slice(0, -MOST)) await benches.delete(old);
}

// Only for whoever holds it: a page that was on its way while it changed hands is not kept, or not for long.
async function put(holder, url, answer) {
  if (!holder || (await holderNow()) !== holder) return null;
  const benches = await caches.open(BENCHES + holder);
  await benches.put(url, answer);
  if ((await holderNow()) === holder) return benches;
  await caches.delete(BENCHES + holder);
  return null;
}

// As it was drawn last; the page is told that it is not of this moment.
async function asKept(url) {
  const holder = await holderNow();
  if (!holder) return null;
  const benches = await caches.open(BENCHES + holder);
  const found = await benches.match(url);
  if (!found) return null;
  const act = await benches.match(`${url}/act`);
  let html = (await found.text()).replace("<main ", "<main data-kept ");
  if (act) {
    const drawn = await act.text();
    html = html.replace(/<!--act-->[^]*<!--\/act-->/, () => drawn);
  }
  const headers = new Headers(found.headers);
  headers.delete("Content-Encoding");
  headers.delete("Content-Length");
  return new Response(html, { headers });
}
