/** Keys held down: Space turns, V takes the other colour, R sizes the brush. */
export const held = { space: false, other: false, resize: false };

function typing(event: KeyboardEvent): boolean {
  return Boolean((event.target as HTMLElement | null)?.closest("input, textarea, select, [role=dialog], [role=menu]"));
}

window.addEventListener("keydown", (e) => {
  if (typing(e)) return;
  if (e.code === "Space" && !(e.target as HTMLElement | null)?.closest("button, a, [role=slider]")) {
    held.space = true;
    e.preventDefault();
  }
  if (e.key.toLowerCase() === "v" && !e.ctrlKey) held.other = true;
  if (e.key.toLowerCase() === "r" && !e.ctrlKey) held.resize = true;
});
window.addEventListener("keyup", (e) => {
  if (e.code === "Space") held.space = false;
  if (e.key.toLowerCase() === "v") held.other = false;
  if (e.key.toLowerCase() === "r") held.resize = false;
});
window.addEventListener("blur", () => {
  held.space = held.other = held.resize = false;
});
