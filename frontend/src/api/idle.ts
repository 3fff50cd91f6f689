/** Says on the document when nothing is pending, so that tests and people's scripts can wait for it instead of for time. */
let pending = 0;

function tell(): void {
  document.documentElement.dataset.idle = pending === 0 ? "true" : "false";
}

/** Something began; call the returned function once when it has ended. */
export function busy(): () => void {
  pending += 1;
  tell();
  let open = true;
  return () => {
    if (!open) return;
    open = false;
    // One frame later, so that what the answer changed is on screen before anyone is told.
    requestAnimationFrame(() =>
      setTimeout(() => {
        pending -= 1;
        tell();
      }, 0),
    );
  };
}

tell();
