import { answer, client, type Calendar } from '$lib/api/client';
import { shade } from '$lib/ui/palette';

export type Clock = { zone: string; name: string; from: string; to: string };
export type View = 'day' | 'week' | 'work' | 'month' | 'year' | 'agenda' | 'picked';
export type LayerSet = { name: string; on: number[] };

/** How finely the hours can be divided, in minutes, and how high a division is drawn then. */
export const STEPS = [60, 30, 15, 10, 5] as const;
const HEIGHTS: Record<number, number> = { 60: 30, 30: 21, 15: 17, 10: 15, 5: 14 };

/** How time is looked at: clocks, working hours, layers, the view. Kept by the server from visit to visit. */
class Looking {
  clocks = $state<Clock[]>([
    { zone: Intl.DateTimeFormat().resolvedOptions().timeZone || 'UTC', name: 'Here', from: '08:00', to: '17:00' },
  ]);
  worked = $state<number[]>([0, 1, 2, 3, 4]);
  step = $state<number>(30);
  lanes = $state(false);
  off = $state<number[]>([]);
  sets = $state<LayerSet[]>([]);
  /** The calendar something was added to last. */
  last = $state(0);
  /** The layers that were on before only one was shown. */
  #before: number[] | null = null;
  ready = $state(false);
  #timer: ReturnType<typeof setTimeout> | undefined;

  get zone(): string {
    return this.clocks[0]?.zone ?? 'UTC';
  }

  get others(): string[] {
    return this.clocks.map((clock) => clock.zone);
  }

  get hourHeight(): number {
    return ((HEIGHTS[this.step] ?? 20) * 60) / this.step;
  }

  async load(): Promise<void> {
    if (this.ready) return;
    const [kept, sets] = await Promise.all([
      answer(client.GET('/api/preferences/{kind}', { params: { path: { kind: 'looking' } } })),
      answer(client.GET('/api/preferences/{kind}', { params: { path: { kind: 'layers' } } })),
    ]);
    const value = kept.find((one) => one.name === 'now')?.value as Partial<Looking> | undefined;
    if (value?.clocks?.length) this.clocks = value.clocks;
    if (value?.worked?.length) this.worked = value.worked;
    if (value?.step) this.step = value.step;
    if (value?.off) this.off = value.off;
    this.lanes = value?.lanes ?? false;
    this.last = value?.last ?? 0;
    this.sets = sets.map((one) => ({ name: one.name, on: (one.value.on as number[]) ?? [] }));
    this.ready = true;
  }

  save(): void {
    clearTimeout(this.#timer);
    this.#timer = setTimeout(() => {
      const { clocks, worked, step, off, lanes, last } = this;
      const params = { path: { kind: 'looking' as const, name: 'now' } };
      void client.PUT('/api/preferences/{kind}/{name}', {
        params,
        body: { value: { clocks, worked, step, off, lanes, last } },
      });
    }, 400);
  }

  /** Something was added to a calendar: it is offered first the next time, and to be seen now. */
  used(id: number): void {
    this.last = id;
    this.off = this.off.filter((one) => one !== id);
    this.save();
  }

  isOn(id: number): boolean {
    return !this.off.includes(id);
  }

  on(calendars: Calendar[]): number[] {
    return calendars.filter((calendar) => this.isOn(calendar.id)).map((calendar) => calendar.id);
  }

  toggle(id: number): void {
    this.off = this.isOn(id) ? [...this.off, id] : this.off.filter((one) => one !== id);
    this.#before = null;
    this.save();
  }

  /** Some on, or off. */
  turn(ids: number[], on: boolean): void {
    const rest = this.off.filter((one) => !ids.includes(one));
    this.off = on ? rest : [...rest, ...ids];
    this.#before = null;
    this.save();
  }

  onlyThese(ids: number[], calendars: Calendar[]): void {
    this.off = calendars.map((calendar) => calendar.id).filter((one) => !ids.includes(one));
    this.#before = null;
    this.save();
  }

  only(id: number, calendars: Calendar[]): void {
    const alone = this.on(calendars).length === 1 && this.isOn(id);
    if (alone && this.#before) {
      this.off = this.#before;
      this.#before = null;
    } else {
      this.#before ??= this.off;
      this.off = calendars.map((calendar) => calendar.id).filter((one) => one !== id);
    }
    this.save();
  }

  allBack(): void {
    this.off = [];
    this.#before = null;
    this.save();
  }

  show(set: LayerSet, calendars: Calendar[]): void {
    this.off = calendars.map((calendar) => calendar.id).filter((id) => !set.on.includes(id));
    this.#before = null;
    this.save();
  }

  async keepSet(name: string, calendars: Calendar[]): Promise<void> {
    const set = { name: name.trim(), on: this.on(calendars) };
    const params = { path: { kind: 'layers' as const, name: set.name } };
    await answer(client.PUT('/api/preferences/{kind}/{name}', { params, body: { value: { on: set.on } } }));
    this.sets = [...this.sets.filter((one) => one.name !== set.name), set].sort((a, b) => (a.name < b.name ? -1 : 1));
  }

  async forgetSet(name: string): Promise<void> {
    await answer(client.DELETE('/api/preferences/{kind}/{name}', { params: { path: { kind: 'layers', name } } }));
    this.sets = this.sets.filter((one) => one.name !== name);
  }

  finer(by: 1 | -1): void {
    const at = STEPS.indexOf(this.step as (typeof STEPS)[number]);
    this.step = STEPS[Math.max(0, Math.min(STEPS.length - 1, at + by))] ?? 30;
    this.save();
  }
}

export const looking = new Looking();

/** Calendars in the order and groups in which their layers are shown: by account, then by name. */
export function grouped(calendars: Calendar[]): { account: string; calendars: Calendar[] }[] {
  const groups = new Map<string, Calendar[]>();
  for (const calendar of calendars) {
    const account = calendar.account || 'Only here';
    groups.set(account, [...(groups.get(account) ?? []), calendar]);
  }
  return [...groups.entries()]
    .sort(([a], [b]) => (a === 'Only here' ? 1 : b === 'Only here' ? -1 : a < b ? -1 : 1))
    .map(([account, found]) => ({ account, calendars: found }));
}

/** A colour that is sure to be written as #rrggbb, for the colour field and the warnings. */
export const hex = (calendar: Calendar): string => shade(calendar).slice(0, 7);
