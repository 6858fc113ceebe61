// On every page: the one thing a link or a form cannot do.
document.addEventListener("click", (event) => {
  if (event.target.closest("[data-print]")) window.print();
});
