/** The stages of a run, in order. */
export const stages = ['gather', 'prepare', 'check', 'draw', 'deliver'] as const;
/** Name of a stage of a run. */
export type Stage = (typeof stages)[number];
