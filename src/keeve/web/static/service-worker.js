// A bench that was opened here can be opened again while Keeve, or the way to it, is gone: as it was then. Its files the browser has.
const BENCHES = "keeve-benches";
// Pages and what was drawn on them since.
const MOST = 40;
const PATIENCE_MS = 4000;
// Whoever signs in or out, or goes to another crew, leaves nothing here for the next.
const CHANGES_HANDS = /^\/(sign-in|sign-out|demo|crew\/switch|account)(\/|$)/;

self.addEventListener("install", () => self.skipWaiting());
self.addEventListener("activate", (event) => event.waitUntil(self.clients.claim()));
self.addEventListener("fetch", (event) => {
  const { request } = event;
  const { origin, pathname } = new URL(request.url);
  if (origin !== location.origin) return;
  if (request.method === "POST" && CHANGES_HANDS.test(pathname)) event.waitUntil(caches.delete(BENCHES));
  if (request.mode === "navigate" && request.method === "GET" && pathname.startsWith("/bench/")) event.respondWith(bench(request));
});

// The first bench was opened before there was a worker: it asks to be kept.
self.addEventListener("message", (event) => event.waitUntil(fetch(event.source.url).then((answer) => keep(event.source.url, answer))));

async function bench({ url }) {
  try {
    const answer = await fetch(url, { redirect: "manual", signal: AbortSignal.timeout(PATIENCE_MS) });
    if (answer.ok) await keep(url, answer.clone());
    return answer.status < 500 ? answer : (await asKept(url)) || answer;
  } catch (fault) {
    const found = await asKept(url);
    if (found) return found;
    throw fault;
  }
}

// What was kept goes only once what takes its place is whole: the line may break in the middle of it.
async function keep(url, answer) {
  const whole = new Response(await answer.blob(), { headers: answer.headers });
  const benches = await caches.open(BENCHES);
  await benches.put(url, whole);
  await benches.delete(`${url}/act`);
  for (const old of (await benches.keys()).slice(0, -MOST)) await benches.delete(old);
}

// As it was drawn last; the page is told that it is not of this moment.
async function asKept(url) {
  const benches = await caches.open(BENCHES);
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
