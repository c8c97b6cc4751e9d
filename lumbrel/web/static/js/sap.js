// The week opens at today; a free place on the trunk fills the form that notes its hole.
const today = document.querySelector(".week-today");
const scroller = today?.closest(".week-scroll");
if (scroller) {
  const left = today.getBoundingClientRect().left - scroller.getBoundingClientRect().left;
  scroller.scrollLeft += Math.max(0, left - 60);
}

const form = document.getElementById("tapped");
function choose(place) {
  for (const name of ["bearing", "height"]) {
    const field = form?.elements.namedItem(name);
    if (field) {
      field.value = place.dataset[name];
      field.dispatchEvent(new Event("input", { bubbles: true }));
    }
  }
  form?.querySelector("button[type=submit]")?.focus();
}
for (const place of document.querySelectorAll(".free-place")) {
  place.addEventListener("click", () => choose(place));
  place.addEventListener("keydown", (event) => {
    if (event.key === "Enter" || event.key === " ") {
      event.preventDefault();
      choose(place);
    }
  });
}
