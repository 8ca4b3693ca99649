import type { Schemas } from '$lib/api/client';

export type Step = Schemas['CutoverStepOut'];
export type StepName = Step['step'];

/** What a step is called, what it does, and what its button says. */
export const STEPS: Record<StepName, { name: string; does: string; button: string }> = {
  'last-run': {
    name: 'Run for the last time',
    does: 'Carry what has changed at the source since the last run. After the first run this takes minutes.',
    button: 'Run again',
  },
  verify: {
    name: 'Verify',
    does: 'Compare both ends. Every difference has to be explained or ruled to be right.',
    button: 'Verify',
  },
  access: {
    name: 'Let people in, take over settings',
    does: 'Who may read or write an old calendar may do so with the new one. Its order, default reminders and whether it blocks time go along. What the target does not take is listed.',
    button: 'Let people in',
  },
  mark: {
    name: 'Mark the old calendars',
    does: 'Each gets “(moved)” after its name, and its description says where it is now. Others may only read it, where its server takes that.',
    button: 'Mark the old calendars',
  },
  notice: {
    name: 'Leave a notice',
    does: 'An all-day event of today in each old calendar says where it is now. It takes no time and rings nowhere.',
    button: 'Leave a notice in each',
  },
  shares: {
    name: 'Point shares to the new place',
    does: 'Shares give the new calendars under the same addresses. Readers have nothing to do.',
    button: 'Point the shares',
  },
  messages: {
    name: 'Tell the owners',
    does: 'A message to each owner says what moved, what was left behind, and how to connect.',
    button: 'Tell the owners…',
  },
  rest: {
    name: 'Rest',
    does: 'For some days nothing is deleted. Changes at the old side are noticed, and can be carried.',
    button: 'Begin the time of rest',
  },
  archive: {
    name: 'Archive the old side',
    does: 'Each old calendar is written to a file and read back. Its deletion is proposed, not carried out.',
    button: 'Archive the old calendars',
  },
  retire: {
    name: 'Retire the old side',
    does: 'What was archived is deleted at the old side. The batches can be undone.',
    button: 'Delete at the old side',
  },
};

/** Whether a step is taken here, and not seen of the lanes. */
export const isTakenHere = (step: StepName): boolean => step !== 'last-run' && step !== 'verify';
