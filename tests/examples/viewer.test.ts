import { execFileSync } from 'node:child_process';
import { join } from 'node:path';
import { fileURLToPath } from 'node:url';
import type { Browser, Page } from 'playwright-core';
import { afterAll, beforeAll, describe, expect, it } from 'vitest';
import { serve, startBrowser } from '../support/browser.ts';
import { type DemoStudy, demoFolder, demoStudy } from '../support/demo-study.ts';

const example = fileURLToPath(new URL('../../examples/study-viewer', import.meta.url));
let study: DemoStudy;
let browser: Browser;
let page: Page;
let site: Awaited<ReturnType<typeof serve>>;
const mistakes: string[] = [];

beforeAll(async () => {
  study = await demoStudy();
  await study.run();
  execFileSync(
    process.execPath,
    [
      fileURLToPath(new URL('../../node_modules/vite/bin/vite.js', import.meta.url)),
      'build',
      '--logLevel',
      'error',
    ],
    { cwd: example },
  );
  site = await serve(join(example, 'dist'), join(study.folder, 'delivered'));
  browser = await startBrowser();
  page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  page.on('pageerror', (error) => mistakes.push(String(error)));
  page.on('console', (message) => {
    if (message.type() === 'error') mistakes.push(message.text());
  });
  await page.goto(`${site.address}/?open=flood-refuges-on-the-ombrey-flats.gpkg&open=findings.json`);
  await page.getByTestId('state').getByText('23 layers, 4,780 features; 4 tables, 520 rows.').waitFor();
});

afterAll(async () => {
  await browser?.close();
  await site?.close();
  await study?.end();
});

/** Colour of one pixel of the map. */
const pixel = (x: number, y: number) =>
  page
    .getByTestId('map')
    .evaluate(
      (canvas, [px, py]) =>
        Array.from((canvas as HTMLCanvasElement).getContext('2d')!.getImageData(px, py, 1, 1).data).slice(
          0,
          3,
        ),
      [x, y],
    );

describe('the study viewer in Chromium', () => {
  it('lists the layers of the delivered GeoPackage and draws the first with its legend', async () => {
    await expect(page.locator('.layers li').allInnerTexts()).resolves.toEqual(
      expect.arrayContaining([
        expect.stringMatching(/wards\s+37/),
        expect.stringMatching(/buildings\s+3,563/),
        expect.stringMatching(/refuge_halls\s+10/),
      ]),
    );
    expect((await page.getByTestId('legend').innerText()).replace(/\s+/g, ' ')).toMatch(
      /^19\.2 – 25\.9 8 over 25\.9 – 32\.4 11/,
    );
    expect(await pixel(10, 10)).not.toEqual(await pixel(360, 200));
  });

  it('identifies a ward by a click on the map and shows its row', async () => {
    for (const layer of [
      'roads',
      'buildings',
      'footbridges',
      'waterways',
      'streets',
      'assembly_points',
      'culverts',
      'walks_points',
      'walks_lines',
      'stops',
      'photos',
      'sluices',
    ])
      await page.getByLabel(`Show ${layer}`).uncheck();
    await page.getByTestId('map').click({ position: { x: 130, y: 430 } });
    await page.getByTestId('feature').getByText('wards, feature').waitFor();
    expect(await page.getByTestId('feature').innerText()).toMatch(/Ward code\s+0204\d\d/);
    expect(await page.locator('.row.chosen').count()).toBe(1);
  });

  it('filters the table by CQL2, dims the others on the map, and points at a mistake', async () => {
    const condition = page.getByLabel('Condition');
    await condition.fill("no_car_share > 40 AND district = 'T204'");
    await condition.press('Enter');
    await page
      .getByTestId('row-count')
      .getByText(/^\d+ of 37/)
      .waitFor();
    // The filter is worked out in a worker: the count follows when it has answered.
    const shown = async () => Number((await page.getByTestId('row-count').innerText()).split(' ')[0]);
    await expect.poll(shown, { timeout: 10_000 }).toBeLessThan(37);
    expect(await shown()).toBeGreaterThan(0);
    await condition.fill('no_car_shar > 40');
    await condition.press('Enter');
    await page.getByText('There is no field “no_car_shar” in wards').waitFor();
    await condition.fill('');
    await condition.press('Enter');
    await page.getByTestId('row-count').getByText('37 of 37').waitFor();
  });

  it('sorts by a click on a column, and makes only the rows in sight', async () => {
    await page.locator('.layers li button', { hasText: 'buildings' }).click();
    await page.getByTestId('row-count').getByText('3,563 of 3,563').waitFor();
    expect(await page.locator('.row:not(.header)').count()).toBeLessThan(60);
    await page.locator('.row.header button', { hasText: 'FLOORS' }).click();
    await page.locator('.row.header button', { hasText: 'FLOORS' }).click();
    expect(await page.locator('.row.header').innerText()).toContain('FLOORS ▾');
    const cells = page.locator('.row:not(.header)').first().locator('span');
    // Behind it are the distance to the next hall, and which one that is.
    const first = await cells.nth((await cells.count()) - 3).innerText();
    expect(Number(first)).toBe(4);
    await page.getByRole('button', { name: 'wards 37', exact: true }).click();
  });

  it('redraws the map at once when classes and colours change', async () => {
    const place = [150, 420] as const;
    const before = await pixel(...place);
    const legend = await page.getByTestId('legend').innerText();
    await page.getByText('quantile', { exact: true }).click();
    await page.waitForFunction(
      (old) => document.querySelector('[data-testid=legend]')?.textContent !== old,
      legend,
    );
    expect(await page.getByTestId('legend').innerText()).not.toBe(legend);
    await page.getByRole('combobox', { name: 'Colours' }).click();
    await page.getByRole('option', { name: 'amber' }).click();
    await expect.poll(() => pixel(...place)).not.toEqual(before);
  });

  it('lists the findings, the worst first, and jumps to one', async () => {
    const buttons = page.getByTestId('findings').locator('button');
    expect(await buttons.first().innerText()).toMatch(/^error/);
    // Those of the layers of the package know where they lie on its map.
    await buttons.filter({ hasText: 'error buildings' }).first().click();
    await page.waitForTimeout(200);
    // The mark stands in the middle of the map: its ring is red.
    const middle = await page.getByTestId('map').evaluate((canvas) => {
      const { width, height } = canvas as HTMLCanvasElement;
      return Array.from(
        (canvas as HTMLCanvasElement).getContext('2d')!.getImageData(width / 2 - 12, height / 2, 1, 1).data,
      ).slice(0, 3);
    });
    expect(middle[0]).toBeGreaterThan(180);
    expect(middle[2]).toBeLessThan(120);
  });

  it('opens dropped files of other formats beside what is there, and says what is wrong with a bad one', async () => {
    const input = page.locator('input[type=file]');
    await input.setInputFiles({
      name: 'places.json',
      mimeType: 'application/json',
      buffer: Buffer.from(
        '{"type":"FeatureCollection","features":[{"type":"Feature","properties":{"name":"x"},"geometry":{"type":"Point","coordinates":[-29.9,45.6]}}]}',
      ),
    });
    await page.getByTestId('state').getByText('24 layers').waitFor();
    await input.setInputFiles({
      name: 'broken.geojson',
      mimeType: 'application/json',
      buffer: Buffer.from('{"type":"FeatureCollection","features":[{"type"'),
    });
    await page
      .getByTestId('state')
      .getByText(/broken\.geojson, byte \d+: The JSON ends in the middle/)
      .waitFor();
    expect(mistakes).toEqual([]);
  });

  it('reads a zipped extract with code pages in the browser, without a server', async () => {
    await page
      .locator('input[type=file]')
      .setInputFiles(join(demoFolder, 'data/map-extracts/teskaria-ombrey.zip'));
    await page.getByTestId('state').getByText('29 layers').waitFor();
    await page.locator('.layers li button', { hasText: 'refuge_halls (2)' }).click();
    await page.getByTestId('row-count').getByText('10 of 10').waitFor();
    const names = await page.locator('.row:not(.header)').allInnerTexts();
    expect(names.some((row) => /[üç]/.test(row))).toBe(true);
    expect(mistakes).toEqual([]);
  });

  it('says when what it is asked to open is not there', async () => {
    const other = await browser.newPage();
    await other.goto(`${site.address}/?open=nothing.gpkg`);
    await other.getByTestId('state').getByText('nothing.gpkg: the server answers 404.').waitFor();
    await other.close();
  });
});
