// A table that is too wide for its place becomes rows of two lines, each figure with its column's name.

function named(table) {
  const heads = [...table.querySelectorAll("thead th")].map((head) => head.textContent.trim());
  for (const row of table.tBodies[0]?.rows ?? []) {
    [...row.cells].forEach((cell, column) => {
      cell.dataset.head = heads[column] ?? "";
    });
  }
}

function fit(place, table) {
  place.classList.remove("is-stacked");
  place.classList.toggle("is-stacked", table.scrollWidth > place.clientWidth + 1);
}

for (const place of document.querySelectorAll(".table-scroll")) {
  const table = place.querySelector("table");
  if (table) {
    named(table);
    fit(place, table);
    window.addEventListener("resize", () => fit(place, table));
  }
}
