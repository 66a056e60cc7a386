import { counted, grouped } from '../../../core/account.ts';
import type { Finding, Severity } from '../../../core/findings.ts';

/** Findings of one kind that are told one by one; the rest is counted. */
const mostOfAKind = 200;

/** Troubles of an extract, by kind. */
export class FoundTroubles {
  private readonly kinds = new Map<string, { severity: Severity; count: number; findings: Finding[] }>();

  add(code: string, severity: Severity, feature: string, words: string, at?: [number, number]): void {
    let kind = this.kinds.get(code);
    if (kind === undefined) {
      kind = { severity, count: 0, findings: [] };
      this.kinds.set(code, kind);
    }
    if (kind.count++ >= mostOfAKind) return;
    const finding: Finding = { code, severity, feature, words };
    if (at?.every(Number.isFinite)) finding.at = at;
    kind.findings.push(finding);
  }

  /** How many there were of a kind. */
  count(code: string): number {
    return this.kinds.get(code)?.count ?? 0;
  }

  list(): Finding[] {
    const all: Finding[] = [];
    // In the order of their codes: not in that in which blocks happened to bring them.
    const kinds = [...this.kinds].sort(([a], [b]) => (a < b ? -1 : 1));
    for (const [code, { severity, count, findings }] of kinds) {
      all.push(...findings);
      const more = count - findings.length;
      if (more > 0)
        all.push({
          code,
          severity,
          words: `${counted(more, 'more of this kind is', 'more of this kind are')} not listed one by one (${grouped(count)} in all).`,
        });
    }
    return all;
  }
}
