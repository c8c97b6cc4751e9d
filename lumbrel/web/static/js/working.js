// A figure that is pressed shows its working over the page; without this it opens as a page.
import { fetchText } from "./tools.js";

const dialog = document.getElementById("working");

async function show(href) {
  const body = document.getElementById("working-body");
  body.innerHTML = await fetchText(`${href}${href.includes("?") ? "&" : "?"}part=1`);
  if (!dialog.open && document.getElementById("alarm").hidden) dialog.showModal();
  document.getElementById("keys")?.close();
  dialog.scrollTop = 0;
}

document.addEventListener("click", async (event) => {
  if (event.target === dialog) dialog.close();
  const link = event.target.closest("[data-working]");
  if (!link || !dialog || event.ctrlKey || event.metaKey) return;
  event.preventDefault();
  const href = link.getAttribute("href");
  try {
    await show(href);
  } catch {
    location.assign(href);
  }
});
