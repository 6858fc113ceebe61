// On every page, before it is drawn: how this device shows it; and the one thing a link or a form cannot do.
for (const name of ["light", "hand"]) document.documentElement.dataset[name] = localStorage.getItem(`keeve-${name}`) || "";
document.addEventListener("click", (event) => {
  if (event.target.closest("[data-print]")) window.print();
});
