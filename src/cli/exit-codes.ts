/** Exit codes: 0 done, 1 findings at or above the asked severity, 2 wrong usage, 3 input or source failed, 130 interrupted. */
export const exitCodes = { done: 0, findings: 1, usage: 2, input: 3, interrupted: 130 } as const;
