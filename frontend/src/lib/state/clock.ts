/** The time of day where the reader is: the one place that asks the browser for it. */
// eslint-disable-next-line no-restricted-syntax
const now = (): Date => new Date();

/** Today, as YYYY-MM-DD. */
export function today(): string {
  const at = now();
  const two = (n: number) => String(n).padStart(2, '0');
  return `${at.getFullYear()}-${two(at.getMonth() + 1)}-${two(at.getDate())}`;
}

export const thisYear = (): number => now().getFullYear();
