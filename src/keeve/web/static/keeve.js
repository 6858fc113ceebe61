// On every page, before it is drawn: how this device shows it; and the one thing a link or a form cannot do.
for (const name of ["light", "hand"]) document.documentElement.dataset[name] = localStorage.getItem(`keeve-${name}`) || "";
// A strip one swipes begins at what is on the page.
document.addEventListener("DOMContentLoaded", () => {
  const here = document.querySelector(".loads [aria-current]");
  if (here) here.parentElement.scrollLeft = here.offsetLeft - here.parentElement.clientWidth / 2;
});
document.addEventListener("click", (event) => {
  if (event.target.closest("[data-print]")) window.print();
});
