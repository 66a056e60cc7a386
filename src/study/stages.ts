export const stages = ['gather', 'prepare', 'check', 'draw', 'deliver'] as const;
export type Stage = (typeof stages)[number];
