// The start of a job is dragged along the day, five minutes at a time; the form says the same by typing.
const STEP_MIN = 5;
document.addEventListener("pointerdown", (event) => {
  const grip = event.target.closest("[data-start]");
  const input = grip && document.querySelector(`[name="begins.${grip.dataset.start}"]`);
  if (!input) return;
  event.preventDefault();
  const picture = grip.closest("svg");
  const [hours, minutes] = input.value.split(":").map(Number);
  const perPixel = picture.viewBox.baseVal.width / picture.getBoundingClientRect().width / Number(picture.dataset.perMin);
  let begins = hours * 60 + minutes;
  const move = ({ clientX }) => {
    const moved = Math.round(((clientX - event.clientX) * perPixel) / STEP_MIN) * STEP_MIN;
    begins = Math.min(Math.max(hours * 60 + minutes + moved, 0), 24 * 60 - STEP_MIN);
    grip.setAttribute("transform", `translate(${(begins - hours * 60 - minutes) * Number(picture.dataset.perMin)},0)`);
    input.value = `${String(Math.floor(begins / 60)).padStart(2, "0")}:${String(begins % 60).padStart(2, "0")}`;
  };
  const drop = () => {
    document.removeEventListener("pointermove", move);
    if (begins !== hours * 60 + minutes) input.form.requestSubmit();
  };
  document.addEventListener("pointermove", move);
  document.addEventListener("pointerup", drop, { once: true });
});
