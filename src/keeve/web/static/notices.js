// What comes due while Today is open is told by the device itself, where the browser and whoever holds it allow that.
const NOTICES = "Notification" in window && "serviceWorker" in navigator;
const timers = [];
async function tell(words) {
  const worker = await navigator.serviceWorker.register("/service-worker.js");
  await navigator.serviceWorker.ready;
  await worker.showNotification("Keeve", { body: words, tag: words });
}
function arm() {
  for (const timer of timers.splice(0)) clearTimeout(timer);
  for (const { dataset } of document.querySelectorAll("[data-notice-at]")) {
    const wait = Number(dataset.noticeAt) - Date.now();
    if (wait > 0) timers.push(setTimeout(() => tell(dataset.notice), wait));
  }
}
document.addEventListener("DOMContentLoaded", () => {
  const ask = document.querySelector("[data-notices]");
  if (!ask || !NOTICES || Notification.permission === "denied") return;
  if (Notification.permission === "granted") return arm();
  ask.hidden = false;
  ask.addEventListener("click", async () => {
    if ((await Notification.requestPermission()) === "granted") arm();
    ask.hidden = true;
  });
});
