import * as workbooks from '@e965/xlsx';
import { unzipSync, type Zippable, zipSync } from 'fflate';
import { seeded, seedOf } from './random.ts';
import { districts, flats, type Ward, wards } from './units.ts';

const text = (content: string) => new TextEncoder().encode(content);

/** Figures with thousands marks, as a spreadsheet program shows them; those get quotes in a CSV. */
const figure = (value: number) => (value < 1000 ? String(value) : `"${value.toLocaleString('en-GB')}"`);

interface Sample {
  adults: number;
  adultsMargin: number;
  walk: number;
  walkMargin: number;
  years: number;
}

/** Made-up estimates of a sample survey: the smaller the ward, the wider the margin. */
function sampleOf(ward: Ward): Sample {
  const own = seeded(seedOf('mobility', ward.code));
  const adults = Math.round(220 + 3800 * own() ** 2);
  const walk = Math.round(adults * (0.02 + 0.11 * own()));
  return {
    adults,
    adultsMargin: Math.round(18 + 1.4 * Math.sqrt(adults)),
    walk,
    walkMargin: Math.round(6 + 3.1 * Math.sqrt(walk)),
    years: Math.round(4 + 40 * own()),
  };
}

function sumOf(samples: readonly Sample[]): Sample {
  const sum = (part: (sample: Sample) => number) => samples.reduce((all, sample) => all + part(sample), 0);
  const root = (part: (sample: Sample) => number) =>
    Math.round(Math.sqrt(sum((sample) => part(sample) ** 2)));
  return {
    adults: sum((sample) => sample.adults),
    adultsMargin: root((sample) => sample.adultsMargin),
    walk: sum((sample) => sample.walk),
    walkMargin: root((sample) => sample.walkMargin),
    years: 17,
  };
}

function line(
  id: string,
  name: string,
  sample: Sample,
  more: { suppressed?: boolean; controlled?: boolean } = {},
): string {
  const years = sample.years >= 40 ? '40+' : String(sample.years);
  const margin = more.controlled ? '-555555555' : figure(sample.adultsMargin);
  const walk = more.suppressed ? ['*', '(X)'] : [figure(sample.walk), figure(sample.walkMargin)];
  return [id, `"${name}"`, figure(sample.adults), margin, ...walk, years].join(',');
}

/**
 * Table M24 as it is delivered: titles above, two header rows, coded columns, long identifiers, three levels and a total
 * in one table, marks in place of figures, notes below.
 */
function table(): string {
  const samples = new Map(wards.map((ward) => [ward.code, sampleOf(ward)]));
  const lines = [
    'Statistics Office of Teskaria',
    '"Table M24: Mobility of residents aged 16 and over, sample survey of 2024"',
    '',
    'AREA_ID,AREA_NAME,M24_001E,M24_001M,M24_002E,M24_002M,M24_003E',
    'Area identifier,Area,Residents 16+,Residents 16+ MOE,Cannot walk 500 m,Cannot walk 500 m MOE,Median years here',
    line('TE24C', 'Teskaria, total', sumOf([...samples.values()]), { controlled: true }),
  ];
  for (const district of districts) {
    const own = wards.filter((ward) => ward.district === district.code);
    lines.push(
      line(
        `TE24D${own[0].code.slice(0, 4)}`,
        district.name,
        sumOf(own.map((ward) => samples.get(ward.code)!)),
      ),
    );
  }
  for (const ward of wards) {
    const sample = samples.get(ward.code)!;
    const suppressed = sample.walk < 14 || ward.code === flats[3].code;
    lines.push(line(`TE24W${ward.code}`, ward.name, sample, { suppressed }));
  }
  lines.push(
    '',
    '* = suppressed to protect confidentiality',
    '(X) = not applicable',
    '40+ median of 40 years or more',
    'Source: Mobility survey of Teskaria 2024. Margins of error are at 90 per cent.',
  );
  return `${lines.join('\r\n')}\r\n`;
}

/** The workbook that describes it: a read-me, a sheet that lists tables, a sheet that lists columns. */
function description(): Uint8Array {
  const sheets: Record<string, string[][]> = {
    'Read me': [
      ['This workbook describes the tables of the mobility survey.'],
      ['Codes that end in E are estimates, those that end in M their margins of error.'],
    ],
    Tables: [
      ['List of tables', '', ''],
      ['Table', 'Title', 'Universe'],
      ['M24', 'Mobility of residents aged 16 and over', 'Residents aged 16 and over in private households'],
      ['M25', 'Mobility of residents under 16', 'Residents under 16 in private households'],
    ],
    Columns: [
      ['List of columns', '', '', ''],
      ['Table', 'Column', 'Label', 'Unit'],
      ['M24', 'M24_001E', 'Residents aged 16 and over', 'persons'],
      ['', 'M24_001M', 'Margin of error, residents aged 16 and over', 'persons'],
      ['', 'M24_002E', 'Residents who cannot walk 500 metres', 'persons'],
      ['', 'M24_002M', 'Margin of error, residents who cannot walk 500 metres', 'persons'],
      ['', 'M24_003E', 'Median years at the same address', 'years'],
      ['M25', 'M25_001E', 'Residents under 16', 'persons'],
    ],
  };
  const book = workbooks.utils.book_new();
  for (const [name, rows] of Object.entries(sheets))
    workbooks.utils.book_append_sheet(book, workbooks.utils.aoa_to_sheet(rows), name);
  const bytes = new Uint8Array(workbooks.write(book, { type: 'array', bookType: 'xlsx' }) as ArrayBuffer);
  // Packed anew with a date of its own, so that it is the same bytes whenever it is made.
  const entries: Zippable = Object.fromEntries(
    Object.entries(unzipSync(bytes)).filter(
      ([path]) => !path.startsWith('docProps/') || path.endsWith('app.xml'),
    ),
  );
  return packed(entries);
}

const packed = (files: Zippable) => zipSync(files, { level: 9, mtime: new Date(2024, 8, 12, 12, 0, 0) });

/** MOBILITY-2024.zip: the table, the workbook that describes it, a read-me. */
export function mobilityPack(): Uint8Array {
  return packed({
    'MOBILITY-2024/M24.csv': text(table()),
    'MOBILITY-2024/description.xlsx': description(),
    'MOBILITY-2024/README.txt': text(
      'Mobility survey of Teskaria, 2024.\nTeskaria Open Statistics Licence 1.0.\n',
    ),
  });
}

/** Residents by sex and age, long: SDMX-CSV 2.0 with labels, a total over both sexes, suppressed cells. */
export function residentsLong(): string {
  const lines = [
    'STRUCTURE,STRUCTURE_ID,ACTION,REF_AREA: Ward,SEX: Sex,AGE: Age,TIME_PERIOD: Year,OBS_VALUE: Residents,OBS_STATUS: Status',
  ];
  const ages = [
    ['Y0T15', '0 to 15 years'],
    ['Y16T64', '16 to 64 years'],
    ['Y_GE65', '65 years and over'],
  ];
  for (const ward of flats) {
    const own = seeded(seedOf('residents', ward.code));
    for (const [age, label] of ages) {
      const women = Math.round(3 + 700 * own() ** 2);
      const men = Math.round(3 + 680 * own() ** 2);
      const few = women < 10 || men < 10;
      const cells: [string, string, string][] = [
        ['F: Women', few ? '' : String(women), few ? 'Q: Missing value; suppressed' : 'A: Normal value'],
        ['M: Men', few ? '' : String(men), few ? 'Q: Missing value; suppressed' : 'A: Normal value'],
        ['_T: Total', String(women + men), 'A: Normal value'],
      ];
      for (const [sex, value, status] of cells)
        lines.push(
          `dataflow,TSO:RESIDENTS(1.0),I,${ward.code}: ${ward.name},${sex},${age}: ${label},2024,${value},${status}`,
        );
    }
  }
  return `${lines.join('\n')}\n`;
}
