/** The size of a histogram, its own units. */
export const WIDE = 256;
export const HIGH = 56;

/** The outline of counts, roots of them so that rare values show. */
export function outline(bins: readonly number[]): string {
  const most = Math.sqrt(Math.max(1, ...bins.slice(1, -1), bins[0] ?? 0, bins.at(-1) ?? 0));
  return `M0 ${HIGH}L${bins.map((n, x) => `${x} ${(HIGH - (HIGH * Math.sqrt(n)) / most).toFixed(1)}`).join("L")}L${WIDE} ${HIGH}Z`;
}
