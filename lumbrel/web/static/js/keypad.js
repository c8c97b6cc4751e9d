// Numbers on touch screens: a keypad of Lumbrel's own instead of the phone's letters. A mouse and a
// hardware keyboard never see it; what it types goes into the field as if it had been typed there.
const pad = document.getElementById("keypad");
const keys = JSON.parse(pad?.dataset.keys ?? "{}");
const units = [...(pad?.querySelectorAll("[data-does=unit]") ?? [])];
const ENDS_IN_A_UNIT = /\s*[^\d\s½¼¾⅓⅔⅛⅜⅝⅞./,:−-][^\d½¼¾⅓⅔⅛⅜⅝⅞]*$/;
let field = null;
let touched = false;

function kindOf(input) {
  if (!(input instanceof HTMLInputElement) || input.type !== "text") return "";
  if (/^(numeric|decimal)$/.test(input.inputMode)) input.dataset.pad = "count";
  return input.closest("[data-pad]:not(input)")?.dataset.pad || input.dataset.pad || "";
}

function takes(input) {
  return kindOf(input) in keys && !input.dataset.letters && !input.disabled && !input.readOnly;
}

/** Fields after this one that still must be filled. */
function nextEmpty() {
  const all = [...(field.form?.elements ?? [])];
  const after = all.slice(all.indexOf(field) + 1);
  return after.find(
    (one) => takes(one) && one.ariaRequired === "true" && !one.value && one.offsetParent,
  );
}

function open(input) {
  field = input;
  pad.hidden = false;
  document.body.classList.add("with-keypad");
  const own = keys[kindOf(input)];
  units.forEach((key, index) => {
    key.textContent = own[index] ?? "";
  });
  pad.querySelector("[data-does=enter]").textContent = nextEmpty() ? "next" : "enter";
  inSight();
  // A page that is still settling may move it away once more.
  setTimeout(inSight, 250);
}

function inSight() {
  field?.scrollIntoView({ block: "center" });
}

function close() {
  field = null;
  pad.hidden = true;
  document.body.classList.remove("with-keypad");
}

function typed() {
  field.dispatchEvent(new InputEvent("input", { bubbles: true }));
}

function put(text) {
  field.setRangeText(text, field.selectionStart, field.selectionEnd, "end");
  typed();
}

const does = {
  type: (key) => put(key.textContent.trim()),
  space: () => put(" "),
  minus: () => put("-"),
  back() {
    if (field.selectionStart === field.selectionEnd && field.selectionStart > 0)
      field.setSelectionRange(field.selectionStart - 1, field.selectionEnd);
    put("");
  },
  // "7" becomes "7 gal"; another unit takes its place; "3 lb 5" goes on as "3 lb 5 oz".
  unit(key) {
    const unit = key.textContent.trim();
    const number = field.value.replace(ENDS_IN_A_UNIT, "").trimEnd();
    if (unit === ":") return put(unit);
    if (!number) return;
    field.value = `${number} ${unit}`;
    field.setSelectionRange(field.value.length, field.value.length);
    typed();
  },
  letters() {
    const back = field;
    back.dataset.letters = "1";
    back.inputMode = "text";
    close();
    back.blur();
    back.focus();
  },
  enter() {
    const next = nextEmpty();
    if (next) return next.focus();
    const form = field.form;
    field.blur();
    form?.requestSubmit();
  },
};

if (pad) {
  document.addEventListener(
    "pointerdown",
    (event) => {
      if (pad.contains(event.target)) return;
      touched = event.pointerType === "touch";
      if (!touched) return;
      // Before it has the focus: afterwards the phone's own keyboard is on its way already.
      for (const input of document.querySelectorAll("input"))
        if (takes(input)) input.inputMode = "none";
    },
    true,
  );
  for (const moment of ["focusin", "click"])
    document.addEventListener(moment, (event) => {
      if (touched && takes(event.target)) open(event.target);
    });
  document.addEventListener("focusout", (event) => {
    if (field && event.target === field && !takes(event.relatedTarget)) close();
  });
  // The field keeps the focus, and its caret.
  pad.addEventListener("mousedown", (event) => event.preventDefault());
  pad.addEventListener("click", (event) => {
    const key = event.target.closest("button");
    if (key && field) does[key.dataset.does](key);
  });
}
