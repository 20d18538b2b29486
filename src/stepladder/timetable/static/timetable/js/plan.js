// Choosing a room fills in its seats, as long as nobody wrote another number; how many sessions there are is asked of a series
// alone.
const room = document.querySelector("[name=room]");
const capacity = document.querySelector("[name=capacity]");
const every = document.querySelector("[name=every]");
const times = document.querySelector("[name=times]");

if (room && capacity) {
  let isOwn = false;
  capacity.addEventListener("input", () => {
    isOwn = capacity.value !== "";
  });
  room.addEventListener("change", () => {
    const { seats } = room.selectedOptions[0].dataset;
    if (seats && !isOwn) capacity.value = seats;
  });
}

if (every && times) {
  const ask = () => {
    times.closest(".field").hidden = !every.value;
  };
  every.addEventListener("change", ask);
  ask();
}
