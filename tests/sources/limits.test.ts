import { join } from 'node:path';
import { afterEach, describe, expect, it } from 'vitest';
import { boundaryOffice } from '../../stand-ins/src/index.ts';
import type { Service } from '../../stand-ins/src/service.ts';
import { demoFolder } from '../support/demo-study.ts';
import { StudyFolder } from '../support/study-folder.ts';

const servers: Service[] = [];
const studies: StudyFolder[] = [];
afterEach(async () => {
  await Promise.all(servers.splice(0).map((each) => each.close()));
  for (const study of studies.splice(0)) study.end();
});

async function limited(limit: string): Promise<{ study: StudyFolder; asked: string[] }> {
  const asked: string[] = [];
  const server = boundaryOffice({
    folder: join(demoFolder, 'data/boundary-office'),
    onRequest: (url) => asked.push(url),
    pageSize: 50,
  });
  servers.push(server);
  const address = await server.listen({ host: '127.0.0.1', port: 0 });
  const study = new StudyFolder().write(
    `sources:\n  office: { kind: features, at: "${address}/", limits: { ${limit} } }\ngather:\n  wards: { from: office }\n  districts: { from: office }\n`,
    'area: { box: { west: -31, south: 45, east: -29, north: 46.5 } }',
  );
  studies.push(study);
  return { study, asked };
}

describe('what a provider allows in a month', () => {
  it('is counted, and a run that might go beyond stops before it asks for a page of features', async () => {
    const { study, asked } = await limited('features a month: 500');
    await study.gather();
    expect([...(await study.ledger()).usage.values()]).toMatchObject([{ features: 311, source: 'office' }]);
    // Files that are still current cost nothing; but nobody can know that before.
    asked.length = 0;
    const error = await study.gather().catch((each: unknown) => each as Error);
    expect(error).toMatchObject({ code: 'limit-would-break', blame: 'usage' });
    expect((error as Error).message).toContain(
      'office allows 500 features a month; 311 were taken this month, and this would take 311 more.',
    );
    expect(asked.some((url) => url.includes('/items') && !url.includes('limit=10'))).toBe(false);
  });

  it('begins anew with the month', async () => {
    const { study } = await limited('features a month: 400');
    study.clock = () => '2026-11-30T23:00:00.000Z';
    await study.gather();
    study.clock = () => '2026-12-01T01:00:00.000Z';
    await study.gather({ again: ['wards'] });
    // What is gathered anew is taken of the provider once more.
    expect([...(await study.ledger()).usage.keys()]).toEqual(['office 2026-11', 'office 2026-12']);
  });

  it('counts bytes too: a dry run tells it, a run stops at it', async () => {
    const { study } = await limited('bytes a month: 100000');
    const { estimates } = await study.gather({ dry: true });
    expect(estimates!.find(({ datasets }) => datasets[0] === 'wards')!.notes.join(' ')).toMatch(
      /It allows 100,000 bytes a month; 0 were taken, so this would go beyond\./,
    );
    await expect(study.gather()).rejects.toMatchObject({ code: 'limit-would-break' });
  });
});
