import { dictionary } from '../core/dictionary.ts';

/** A thing that is explained in a terminal. */
export interface Topic {
  title: string;
  text: string;
}

/** What `isomeric help TOPIC` explains beside the commands. */
export const topics: Readonly<Record<string, Topic>> = dictionary({
  study: {
    title: 'A study: a folder with study.yaml',
    text: `isomeric new mine             a folder with a study that runs, every line explained
isomeric new mine --from wards.geojson housing.csv
                              the same for files of your own
isomeric run mine             gathers, prepares, checks, draws, delivers
isomeric run mine --only draw one stage, on what the ones before left
isomeric run mine --into other --set "area.units.code = [D3]"
                              the same study for another area, in a folder of its own

study.yaml says, in this order: study (the title), area, crs, sources, gather, prepare, check,
titles, draw, deliver. Beside it stands study.schema.json, by which editors complete and check.
Results: delivered/ (GeoPackage, maps, report.html), prepared/ (layers after their steps),
ledger.jsonl (what came from where).

Texts that hold ": " or begin with * & ! % @ > | need quotes. In braces a comma ends the value:
write a condition or expression with commas on a line of its own. Codes need quotes: '0204'.`,
  },
  filters: {
    title: 'Filters and computed fields: CQL2 (OGC 21-065)',
    text: `households > 100                        = <> < > <= >=
code = '0204' AND NOT (name LIKE 'Up%') texts in single quotes, codes too; % any letters, _ one
district IN ('T204', 'T205')            also BETWEEN 1 AND 9, IS NULL, IS NOT NULL
"Ward name" = 'Mill Yard'               names with blanks in double quotes
CASEI(name) = CASEI('mill yard')        whatever the case; ACCENTI() whatever the accents
opened > DATE('2020-01-01')             TIMESTAMP('2020-01-01T10:00:00Z')
S_INTERSECTS(geometry, BBOX(-30, 45, -29, 46))
share(no_car, households)               100 * a / b; density(persons): for each square kilometre
+ - * / % div ^                         what cannot be computed (0 / 0) is blank

On a command line the whole stands in double quotes: --where "code = '0204'".`,
  },
  crs: {
    title: 'Coordinate reference systems',
    text: `A CRS is said by code (EPSG:32626), by its name in the EPSG registry (WGS 84 / UTM zone 26N),
as WKT, or by a .prj or .wkt file. In a study also: best, best for densities, best for distances.

isomeric crs UTM zone 26N     finds by words
isomeric crs --at -29.8,45.5  what is used at a place
isomeric crs --for wards.gpkg what suits an area, with the reason
isomeric locate grid.shp --in islands.gpkg
                              which CRS would put a layer without one where it belongs

A layer that does not say its CRS is never given one: --from (in a study crs: under gather) says it.
Between datums the way is told with its accuracy; where none is known, it is an error.`,
  },
  'exit-codes': {
    title: 'Exit codes',
    text: `0    done
1    done, and something was found: check at errors (--fail-at says from which severity on), run at
     errors in layers that a map colours, join and others where nothing matched or features were
     lost, ledger --verify at changed files
2    the command or the study is written wrongly; nothing was written
3    a file or a service is not as it must be
130  interrupted; nothing half-written is kept

With --json errors come as one object on the error stream: {"error": {"code": …, "words": …}}.
docs/codes.md lists all codes.`,
  },
});
