/** The severities, from the least. */
export const severities = ['note', 'warning', 'error'] as const;
/** How bad a finding is. */
export type Severity = (typeof severities)[number];

/** One thing that is wrong or worth knowing, as data. */
export interface Finding {
  /** Stable, in kebab case: `rings-cross`. */
  code: string;
  severity: Severity;
  layer?: string;
  feature?: string | number;
  /** Where, in the layer's own CRS: [east or longitude, north or latitude]. */
  at?: [number, number];
  words: string;
  /** Keys that found nothing in a table, which would have brought these fields; no more than a thousand. */
  without?: { table: string; fields: readonly string[]; keys: readonly string[] };
  /** What would set it right, when something would. */
  repair?: string;
}

/** True when `severity` is at least as bad as `threshold`. */
export function atLeast(severity: Severity, threshold: Severity): boolean {
  return severities.indexOf(severity) >= severities.indexOf(threshold);
}

/** Number of findings of each severity. */
export function countFindings(findings: readonly Finding[]): Record<Severity, number> {
  const counts: Record<Severity, number> = { note: 0, warning: 0, error: 0 };
  for (const finding of findings) counts[finding.severity]++;
  return counts;
}
