import type { Schemas } from '$lib/api/client';
import { count, counted, moment } from '$lib/ui/words';

export type Lane = Schemas['LaneOut'];
export type Options = Schemas['OptionsIO'];

/** What stands at the other end of a lane now, in a few words; `bad` where somebody has to look. */
export function state(lane: Lane): { says: string; bad: boolean } {
  if (!lane.going) return { says: 'left out', bad: false };
  if (lane.blocks.length) return { says: 'blocked', bad: true };
  if (lane.state === 'failed') return { says: 'failed', bad: true };
  if (lane.on_the_way) return { says: `${count(lane.on_the_way)} on the way`, bad: false };
  if (lane.refused) return { says: `${count(lane.refused)} refused`, bad: true };
  if (lane.verified_at && lane.unexplained) return { says: `${count(lane.unexplained)} unexplained`, bad: true };
  if (lane.verified_at && verifiedNow(lane)) return { says: 'verified', bad: false };
  if (lane.state === 'back') return { says: 'sent back', bad: false };
  if (lane.ran_at) return { says: 'carried', bad: false };
  return { says: lane.proposal ? 'rehearsed' : 'planned', bad: false };
}

/** Whether a lane was verified after it was carried last. */
export function verifiedNow(lane: Lane): boolean {
  return !!lane.verified_at && lane.verified_at >= lane.ran_at && !lane.unexplained;
}

/** All that is known of a lane, a line each. */
export function lines(lane: Lane): string[] {
  return [
    ...lane.blocks,
    ...lane.cautions,
    lane.message,
    ...lane.refusals.map((one) => `${counted(one.number, 'entry', 'entries')} refused: ${one.reason}`),
    lane.would ? `A run would carry ${count(lane.would_change)}. ${lane.would}` : '',
    ...lane.losses,
    lane.verified_at
      ? `Verified ${moment(lane.verified_at)}: ${count(lane.there)} of ${count(lane.entries)} there, ${count(lane.explained)} explained, ${count(lane.unexplained)} unexplained, ${count(lane.left)} left behind.`
      : '',
  ].filter(Boolean);
}

/** The options of a crossing or a lane, in words. */
export function optionWords(options: Options): string[] {
  const KIND: Record<string, string> = { VEVENT: 'events', VTODO: 'to-dos', VJOURNAL: 'journal entries' };
  const STANDING: Record<string, string> = {
    keep: 'what stands there already stays',
    newer: 'the newer of both counts',
    replace: 'what stands there already is replaced',
    ask: 'what stands there already, and differs, waits for a decision',
  };
  return [
    options.since ? `only what is not over before ${options.since}` : '',
    options.kinds?.length ? `only ${options.kinds.map((kind) => KIND[kind]).join(' and ')}` : '',
    options.private === 'leave' ? 'private entries stay behind' : '',
    options.standing ? STANDING[options.standing] : '',
    options.tell ? 'the target may invite attendees' : '',
    options.steps?.length ? `${counted(options.steps.length, 'change', 'changes')} on the way` : '',
    Object.keys(options.remedies ?? {}).length
      ? counted(Object.keys(options.remedies ?? {}).length, 'way out of a loss', 'ways out of losses')
      : '',
  ].filter(Boolean) as string[];
}

/** Pairs of addresses, as somebody types them: one a line, the old one and the new one. */
export function addressesIn(text: string): { do: 'map-address'; old: string; new: string }[] {
  return text
    .split('\n')
    .map((line) => line.split(/\s*(?:→|->|=>|;|,|\s)\s*/u).filter(Boolean))
    .filter((parts) => parts.length === 2)
    .map(([old, next]) => ({ do: 'map-address' as const, old: old!, new: next! }));
}
