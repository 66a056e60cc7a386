import { ScrollArea } from '@mantine/core';
import type { Finding } from 'isomeric';
import { useMemo } from 'react';

interface Props {
  findings: readonly Finding[];
  onJump(at: [number, number]): void;
}

const order = { error: 0, warning: 1, note: 2 };

/** Findings, the worst first; one that has a place leads there. */
export function FindingList({ findings, onJump }: Props) {
  const worst = useMemo(
    () => [...findings].sort((a, b) => order[a.severity] - order[b.severity]),
    [findings],
  );
  return (
    <>
      <h2>
        Findings <em>{findings.length}</em>
      </h2>
      <ScrollArea className="findings">
        {findings.length === 0 && <p className="quiet">None.</p>}
        <ul data-testid="findings">
          {worst.map((finding, k) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: the list never changes its order
            <li key={k}>
              <button
                type="button"
                disabled={finding.at === undefined}
                onClick={() => finding.at !== undefined && onJump(finding.at)}
              >
                <b className={finding.severity}>{finding.severity}</b> {finding.layer ?? ''}
                <span>{finding.words}</span>
              </button>
            </li>
          ))}
        </ul>
      </ScrollArea>
    </>
  );
}
