// On every page, before it is drawn: how this device shows it; and the one thing a link or a form cannot do.
for (const name of ["light", "hand"]) document.documentElement.dataset[name] = localStorage.getItem(`keeve-${name}`) || "";
// A strip one swipes begins at what is on the page.
document.addEventListener("DOMContentLoaded", () => {
  const here = document.querySelector(".loads [aria-current]");
  if (here) here.parentElement.scrollLeft = here.offsetLeft - here.parentElement.clientWidth / 2;
});
// Of a list of mixes only those stay that have every word typed in one of their names.
document.addEventListener("input", ({ target }) => {
  if (target.dataset.find === undefined) return;
  const words = target.value.toLowerCase().split(/\s+/).filter(Boolean);
  const list = target.closest("[data-find-in]");
  for (const choice of list.querySelectorAll("[data-found-by]")) {
    choice.hidden = !words.every((word) => choice.dataset.foundBy.includes(word));
  }
  for (const shelf of list.querySelectorAll(".mix-shelf")) {
    shelf.hidden = !shelf.querySelector("[data-found-by]:not([hidden])");
  }
  list.querySelector(".none-found").hidden = list.querySelector("[data-found-by]:not([hidden])") !== null;
});
document.addEventListener("click", (event) => {
  if (event.target.closest("[data-print]")) window.print();
});
