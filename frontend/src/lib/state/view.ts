/**
 * What a page shows, as its address says it: one typed place a page.
 *
 * `read` makes of an address what it means, with what is usual where it says nothing or nonsense; `address` is where
 * one is after some of it has changed.
 */
export type Reading<Value> = (said: string | null) => Value;
type Values<Shape> = { [Name in keyof Shape]: Shape[Name] extends Reading<infer Value> ? Value : never };
export type Changes<Shape> = Partial<Record<keyof Shape & string, string>>;

export const text: Reading<string> = (said) => said ?? '';
export const number =
  (usual: number): Reading<number> =>
  (said) =>
    Number(said) || usual;
export const day =
  (usual: () => string): Reading<string> =>
  (said) =>
    said && /^\d{4}-\d\d-\d\d$/.test(said) ? said : usual();
export const days: Reading<string[]> = (said) => (said ?? '').split(',').filter((one) => /^\d{4}-\d\d-\d\d$/.test(one));
/** On where the address says so. */
export const on: Reading<boolean> = (said) => said === 'yes';
/** On unless the address says not. */
export const unless: Reading<boolean> = (said) => said !== 'no';
export const choice =
  <Value extends string>(values: readonly Value[], usual: Value): Reading<Value> =>
  (said) =>
    values.find((one) => one === said) ?? usual;

export function view<Shape extends Record<string, Reading<unknown>>>(path: string, shape: Shape) {
  return {
    read(params: URLSearchParams): Values<Shape> {
      const entries = Object.entries(shape).map(([name, reading]) => [name, reading(params.get(name))]);
      return Object.fromEntries(entries) as Values<Shape>;
    },
    address(params: URLSearchParams, changes: Changes<Shape>): string {
      const next = new URLSearchParams(params);
      for (const [name, value] of Object.entries(changes)) {
        if (value) next.set(name, value);
        else next.delete(name);
      }
      const said = next.toString();
      return said ? `${path}?${said}` : path;
    },
  };
}
