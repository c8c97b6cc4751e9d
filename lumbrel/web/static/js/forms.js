// Forms: which fields show, sent once, the slip at its last line.
import { component, memory } from "./tools.js";

// One of several ways to say a thing: only the fields it needs are shown.
component("pick", () => ({
  picked: "",
  init() {
    this.picked = this.$root.dataset.start;
  },
  pick(event) {
    this.picked = event.target.value;
  },
  get isMeter() {
    return this.picked === "meter";
  },
  get isEye() {
    return this.picked === "eye";
  },
  get isPhoto() {
    return this.picked === "photo";
  },
  get isPathed() {
    return this.picked !== "eye";
  },
  get isRectangular() {
    return this.picked === "rectangular";
  },
  get isTapered() {
    return this.picked === "tapered";
  },
  get isMeasured() {
    return this.picked === "measured";
  },
  get isRound() {
    return this.picked === "round";
  },
  get isRefractometer() {
    return this.picked === "refractometer";
  },
  get isHydrometer() {
    return this.picked === "hydrometer";
  },
  get isDensity() {
    return this.picked !== "unknown";
  },
  get isUnknown() {
    return this.picked === "unknown";
  },
  get isChosen() {
    return this.picked === "0";
  },
  get isForecast() {
    return this.picked === "forecast";
  },
  get wantsPressure() {
    return this.picked === "station" || this.picked === "forecast";
  },
}));

component("submitter", () => ({
  go() {
    this.$root.requestSubmit();
  },
  upload() {
    this.$root.form.requestSubmit();
  },
}));

// What the demonstration is, until it is put away.
component("greeting", () => ({
  shown: memory.get("greeted") === null,
  dismiss() {
    memory.set("greeted", "1");
    this.shown = false;
  },
}));

// A form is sent once; what it carries would be written once anyway.
document.addEventListener("submit", (event) => {
  const button = event.target.querySelector("button[type=submit]");
  if (!button || event.target.method !== "post") return;
  setTimeout(() => {
    button.disabled = true;
  });
});

window.addEventListener("pageshow", () => {
  for (const button of document.querySelectorAll("button:disabled")) button.disabled = false;
  const here = document.querySelector(".station.here");
  if (here) {
    const line = here.parentElement;
    line.scrollLeft = here.offsetLeft - (line.clientWidth - here.offsetWidth) / 2;
  }
  const record = document.getElementById("slip-lines");
  if (record) record.scrollTop = record.scrollHeight;
});

// A kitchen that has not said where it is: the browser knows, and the person sees it before saving.
for (const zone of document.querySelectorAll("input[name=time_zone]")) {
  zone.value ||= Intl.DateTimeFormat().resolvedOptions().timeZone ?? "";
}
