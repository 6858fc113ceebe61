// A bench that was opened here can be opened again while Keeve, or the way to it, is gone: as it was then. Its files the browser has.
// What is kept belongs to whoever this browser is in the hands of, a person in a crew; nobody else finds any of it.
const BENCHES = "keeve-benches-";
const HOLDER = "keeve-holder";
// Pages and what was drawn on them since.
const MOST = 40;
const PATIENCE_MS = 4000;
// Whoever signs in or out, or goes to another crew, leaves nothing here for the next; the page that follows says who holds it then.
const CHANGES_HANDS = /^\/(sign-in|sign-out|demo|new-account|forgotten|reset|invitation|crew\/switch|account)(\/|$)/;

self.addEventListener("install", () => self.skipWaiting());
self.addEventListener("activate", (event) => event.waitUntil(self.clients.claim()));
self.addEventListener("fetch", (event) => {
  const { request } = event;
  const { origin, pathname } = new URL(request.url);
  if (origin !== location.origin) return;
  if (request.method === "POST" && CHANGES_HANDS.test(pathname)) event.waitUntil(handOver(""));
  if (request.mode === "navigate" && request.method === "GET" && pathname.startsWith("/bench/")) event.respondWith(bench(request));
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

async function bench({ url }) {
  try {
    const answer = await fetch(url, { redirect: "manual", signal: AbortSignal.timeout(PATIENCE_MS) });
    await keep(url, answer.clone());
    return answer.status < 500 ? answer : (await asKept(url)) || answer;
  } catch (fault) {
    const found = await asKept(url);
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
  for (const old of (await benches.keys()).slice(0, -MOST)) await benches.delete(old);
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
