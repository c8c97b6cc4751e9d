// A screen left alone stays on while a pan is open, or it was put on the shelf.
let lock = null;
let onShelf = false;

/** Whether this browser holds the screen awake. */
export function isAwake() {
  return lock !== null;
}

/** Hold the screen awake where there is a pan on it, or where it is asked for. */
export async function stayAwake(asked = false) {
  if (asked === true) onShelf = true;
  const wanted = onShelf || document.getElementById("verdict");
  if (lock || document.hidden || !wanted) return;
  try {
    lock = (await navigator.wakeLock?.request("screen")) ?? null;
    lock?.addEventListener("release", () => {
      lock = null;
    });
  } catch {
    lock = null;
  }
}

for (const event of ["visibilitychange", "pointerdown", "keydown"]) {
  document.addEventListener(event, stayAwake);
}
stayAwake();
