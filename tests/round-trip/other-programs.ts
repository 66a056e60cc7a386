import { execFileSync } from 'node:child_process';

interface Written {
  path: string;
  rows: number;
}

/** Runs a program on many files; its complaints, a line each. */
function run(program: string, args: readonly string[]): string[] {
  try {
    return execFileSync(program, args, {
      encoding: 'utf8',
      maxBuffer: 1e8,
      stdio: ['ignore', 'pipe', 'pipe'],
    })
      .split('\n')
      .filter((line) => line.startsWith('!'));
  } catch (error) {
    const { stderr, stdout } = error as { stderr?: string; stdout?: string };
    return `${stdout ?? ''}\n${stderr ?? String(error)}`
      .split('\n')
      .filter((line) => line.trim() !== '')
      .slice(0, 5);
  }
}

/** Python reads each file with what its own library has, and counts the rows. */
const python: Readonly<Record<string, string>> = {
  csv: `import csv
def rows(p): return sum(1 for r in csv.reader(open(p, encoding='utf-8', newline=''))) - 1`,
  tsv: `import csv
def rows(p): return sum(1 for r in csv.reader(open(p, encoding='utf-8', newline=''), delimiter='\\t')) - 1`,
  geojson: `import json
def rows(p): return len(json.load(open(p, encoding='utf-8'))['features'])`,
  'geojson-lines': `import json
def rows(p): return sum(1 for l in open(p, encoding='utf-8', newline='\\n') if json.loads(l))`,
  topojson: `import json
def rows(p): return len(list(json.load(open(p, encoding='utf-8'))['objects'].values())[0]['geometries'])`,
  kmz: `import zipfile
def rows(p):
  z = zipfile.ZipFile(p)
  assert z.testzip() is None
  return z.read('doc.kml').count(b'<Placemark')`,
  xlsx: `import zipfile
def rows(p):
  z = zipfile.ZipFile(p)
  assert z.testzip() is None
  return z.read('xl/worksheets/sheet1.xml').count(b'<row>') - 1`,
  geopackage: `import sqlite3
def rows(p):
  c = sqlite3.connect(p)
  assert c.execute('pragma integrity_check').fetchone()[0] == 'ok'
  return c.execute('select count(*) from t').fetchone()[0]`,
};

const main = `
import sys
csv_limit = None
try:
  import csv; csv.field_size_limit(10**9)
except Exception: pass
a = sys.argv[1:]
for p, n in zip(a[0::2], a[1::2]):
  try:
    got = rows(p)
    if got != int(n): print('! %s: %d rows where %s were written' % (p, got, n))
  except Exception as e: print('! %s: %s %s' % (p, type(e).__name__, e))
`;

/** Has other programs read what was written, where one reads the format that is no tool for this job. */
export function checkWithOthers(
  format: string,
  written: readonly Written[],
): { checked: number; complaints: string[] } {
  if (written.length === 0) return { checked: 0, complaints: [] };
  const code = python[format];
  if (code !== undefined) {
    const args = written.flatMap(({ path, rows }) => [path, String(rows)]);
    return { checked: written.length, complaints: run('python3', ['-c', `${code}\n${main}`, ...args]) };
  }
  if (['kml', 'gml', 'gpx'].includes(format)) {
    const complaints = run('xmllint', ['--noout', '--huge', ...written.map(({ path }) => path)]);
    return { checked: written.length, complaints };
  }
  return { checked: 0, complaints: [] };
}
