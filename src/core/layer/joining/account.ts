import { type Account, type Count, closeAccount, counted, grouped } from '../../account.ts';
import { IsomericError } from '../../errors.ts';
import { exactSum } from '../../exact-sum.ts';
import { explainLeftovers, isTotalKey } from '../../table/keys/doctor/leftovers.ts';
import { type KeyRemedy, keySet, proofOf, searchPair } from '../../table/keys/doctor/pair-search.ts';
import { type JoinKeys, keyPairsText } from '../../table/keys/key-pairs.ts';
import { shownKey } from '../../table/keys/key-reader.ts';
import type { Field } from '../../table/schema.ts';
import { isSummable } from '../../table/summable.ts';
import type { HeldTable } from './held-table.ts';
import type { ManyRule, ManySeen } from './many-rows.ts';
import type { Matching } from './matching.ts';

/** Keys that a finding keeps by name. */
const mostKeysKept = 1000;
/** Keys that are looked through for a repair. */
const mostSearched = 50_000;

/** What the account of a join is made of. */
export interface Joined {
  layer: string;
  table: string;
  keys: JoinKeys;
  /** The fields that were brought, with those of the table that they come from. */
  fields: readonly Field[];
  brought: readonly Field[];
  held: HeldTable;
  matching: Matching;
  many: ManyRule | null;
  seen: ManySeen | null;
  repaired: boolean;
  /** Per cent of the features, or of the keys of the table, that must meet. */
  atLeast: number;
  /** Features that are not handed on because they found nothing. */
  dropped: boolean;
}

export function sample(keys: readonly string[]): string {
  const shown = keys.slice(0, 5).map(shownKey).join('; ');
  const plain = keys.slice(0, 5).every((key) => shownKey(key) === key) ? keys.slice(0, 5).join(', ') : shown;
  return keys.length > 5 ? `${plain} and ${grouped(keys.length - 5)} more` : plain || 'blank keys';
}

const textsOf = (index: { texts(): Iterable<string> }) => [...index.texts()];
const percent = (share: number) =>
  `${share > 0.995 && share < 1 ? '99' : Math.round(100 * share) === 0 && share > 0 ? 'under 1' : Math.round(100 * share)} %`;

/** Keys of the table: those that no feature has, those that several rows have, those that went to several features. */
interface TableKeys {
  over: string[];
  twice: string[];
  shared: number;
  sharing: number;
}

function tableKeys({ held, matching }: Joined): TableKeys {
  const found: TableKeys = { over: [], twice: [], shared: 0, sharing: 0 };
  for (let key = 0; key < held.index.size; key++) {
    if (matching.used[key] === 0) found.over.push(held.index.text(key));
    if (held.several(key)) found.twice.push(held.index.text(key));
    if (matching.used[key] > 1) {
      found.shared++;
      found.sharing += matching.used[key];
    }
  }
  return found;
}

/** @throws IsomericError `join-nothing-matched`, `join-few-matched` */
export function closeJoin(account: Account, joined: Joined): void {
  const { layer, table, held, matching, fields } = joined;
  const { all, matched } = matching;
  const lonely = textsOf(matching.lonely);
  const keys = tableKeys(joined);
  account.counts = {
    in: all,
    matched,
    withoutRow: all - matched,
    tableRows: held.rows,
    tableKeysLeftOver: keys.over.length,
    tableKeysTwice: keys.twice.length,
    rowsShared: keys.shared,
    blankKeys: matching.blank,
    blankTableKeys: held.blankKeys,
  };
  const remedy = joined.repaired ? undefined : remedyFor(joined, lonely, keys.over);
  stopWhereFew(joined, lonely, keys.over, remedy);
  tellKeys(account, joined, lonely, keys);
  tellShares(account, joined);
  tellTotals(account, joined);
  if (remedy !== undefined)
    account.findings.push({
      code: 'join-repairable',
      severity: 'warning',
      layer,
      words: `${remedyWords(remedy, matched)} (${remedy.examples.join(', ')}).`,
      repair: `join with “repair: ${remedy.text}”`,
    });
  if (matched < all)
    account.findings.push({
      code: 'join-incomplete',
      severity: matched === 0 ? 'error' : 'warning',
      layer,
      words: `${grouped(all - matched)} of ${grouped(all)} ${layer} found no row in ${table} (${sample(lonely)}).`,
      without: {
        table,
        fields: fields.map(({ name }) => name),
        keys: lonely.slice(0, mostKeysKept).map(shownKey),
      },
    });
  const { length } = keys.twice;
  const counts: Count[] = [
    [matched, `matched on ${keyPairsText(joined.keys)}`],
    [all - matched, `without a row in ${table}${joined.dropped ? ' dropped' : ''}`],
    [keys.over.length, `${keys.over.length === 1 ? 'key' : 'keys'} of ${table} left over`],
  ];
  if (length > 0) counts.push([length, length === 1 ? 'key twice' : 'keys twice']);
  closeAccount(account, [all, `${layer} in`], ...counts);
}

function remedyWords({ met, byChance, text }: KeyRemedy, matched: number): string {
  return `With “${text}” ${grouped(met)} keys match in place of ${grouped(matched)}; a table of the same shape that says nothing would reach ${grouped(Math.round(byChance))}`;
}

/** The best repair that brings more keys together than meet now, and more than chance does. */
function remedyFor(
  joined: Joined,
  lonely: readonly string[],
  over: readonly string[],
): KeyRemedy | undefined {
  if (lonely.length === 0 || over.length === 0) return undefined;
  if (lonely.length > mostSearched || over.length > 20 * mostSearched) return undefined;
  const { index } = joined.held;
  const own = [...lonely];
  joined.matching.used.forEach((times, key) => {
    if (times > 0) own.push(index.text(key));
  });
  const [all, whole] = [keySet(own), keySet(textsOf(index))];
  const now = own.length - lonely.length;
  for (const { mends, byChance } of searchPair(keySet(lonely), keySet(over))) {
    // First signs say which unit lies above: another level is told in its own words.
    if (mends.length === 0 || mends.some(({ kind }) => kind === 'first signs')) continue;
    const proof = proofOf(all, whole, mends);
    const gained = proof.met - now;
    const merged = proof.merged.layer + proof.merged.table;
    if (gained > 0 && gained > 1.2 * byChance * (lonely.length > 20 ? 1 : 0) && merged < gained)
      return { ...proof, byChance: Math.min(proof.met, now + byChance) };
  }
  return undefined;
}

function stopWhereFew(
  { layer, table, keys, matching, atLeast, held }: Joined,
  lonely: readonly string[],
  over: readonly string[],
  remedy: KeyRemedy | undefined,
): void {
  const { all, matched } = matching;
  if (all === 0 || 100 * matched >= atLeast * all || (matched > 0 && all - matched <= 1)) return;
  // A table of a part of the units is right where nearly all of it found its place.
  const there = held.index.size;
  if (matched > 0 && 100 * (there - over.length) >= Math.max(atLeast, 50) * there) return;
  const [reason] = explainLeftovers({ layer, table, matched: [], lonely, over });
  const advice = `${remedy === undefined ? (reason?.words ?? 'Look at both fields, and say others.') : `${remedyWords(remedy, matched)} (${remedy.examples.join(', ')}).`} “isomeric keys” searches all fields of both.`;
  const found = `${sample(lonely)} on one side, ${sample(over)} on the other.`;
  if (matched === 0)
    throw new IsomericError(
      'join-nothing-matched',
      `None of ${counted(all, 'feature', 'features')} of ${layer} found a row in ${table} by ${keyPairsText(keys)}: ${found}`,
      { blame: 'usage', advice },
    );
  throw new IsomericError(
    'join-few-matched',
    `Only ${grouped(matched)} of ${counted(all, 'feature', 'features')} of ${layer} found a row in ${table} by ${keyPairsText(keys)}: ${found}`,
    {
      blame: 'usage',
      advice: `${advice} Where so few are expected, say how many per cent must match at least.`,
    },
  );
}

function tellKeys(account: Account, joined: Joined, lonely: readonly string[], keys: TableKeys): void {
  const { layer, table, held, matching, many, seen } = joined;
  if (lonely.length > 0) account.notes.push(`Without a row in ${table}: ${sample(lonely)}.`);
  if (keys.over.length > 0) account.notes.push(`Keys of ${table} without a feature: ${sample(keys.over)}.`);
  if (keys.twice.length > 0)
    account.notes.push(
      many === null
        ? `Keys that occur twice in ${table}: ${sample(keys.twice)}; ${keys.twice.length === 1 ? 'it has no feature, or its rows say' : 'they have no feature, or their rows say'} the same.`
        : `Keys with several rows in ${table}: ${sample(keys.twice)}; ${manyWords(many)}.`,
    );
  if (seen !== null && seen.blanks > 0)
    account.notes.push(`${counted(seen.blanks, 'blank was', 'blanks were')} left out where rows became one.`);
  if (seen !== null && seen.unlike > 0)
    account.notes.push(
      `${counted(seen.unlike, 'value that is no figure differs', 'values that are no figures differ')} among rows of one key, and ${seen.unlike === 1 ? 'is' : 'are'} blank.`,
    );
  if (keys.shared > 0)
    account.notes.push(
      `${counted(keys.shared, 'row', 'rows')} of ${table} went to several features (${grouped(keys.sharing)} of ${layer}): the figures of ${keys.shared === 1 ? 'it' : 'them'} stand there more than once, and must not be summed.`,
    );
  if (matching.blank > 0 || held.blankKeys > 0)
    account.notes.push(
      `Blank keys: ${grouped(matching.blank)} of ${layer}, ${grouped(held.blankKeys)} of ${table}.`,
    );
  if (lonely.length === 0 && keys.over.length === 0) return;
  const matched: string[] = [];
  for (let key = 0; key < held.index.size && matched.length < mostSearched; key++)
    if (matching.used[key] > 0) matched.push(held.index.text(key));
  const left = {
    layer,
    table,
    matched,
    lonely: lonely.slice(0, mostSearched),
    over: keys.over.slice(0, mostSearched),
  };
  for (const { reason, words } of explainLeftovers(left)) {
    account.notes.push(words);
    if (reason === 'vintage' || reason === 'finer')
      account.findings.push({
        code: reason === 'vintage' ? 'join-other-vintage' : 'join-other-level',
        severity: 'warning',
        layer,
        words,
        repair:
          reason === 'vintage'
            ? 'join the table of the same vintage, or move its figures with a crosswalk'
            : 'join with “repair: first … signs of the table” and “many: sum”',
      });
  }
}

function manyWords({ rule, by }: ManyRule): string {
  if (rule === 'rows') return 'a feature was made of each, as asked';
  if (rule === 'greatest by') return `the one with the greatest ${by} was taken, as asked`;
  if (rule === 'mean by') return `figures are means weighted by ${by}, as asked`;
  if (rule === 'first' || rule === 'last') return `the ${rule} one was taken, as asked`;
  return rule === 'list' ? 'their values were listed, as asked' : `figures are their ${rule}, as asked`;
}

/** How much of the table's totals arrived, and of the ground. */
function tellShares(account: Account, { layer, table, brought, held, matching }: Joined): void {
  const { all, matched, ground, groundMatched } = matching;
  if (ground > 0 && matched < all)
    account.notes.push(`${percent(groundMatched / ground)} of the ground of ${layer} has a row.`);
  const counting = countingRows(held);
  let rows = 0;
  for (const row of counting) if (held.keyOf[row] >= 0 && matching.used[held.keyOf[row]] > 0) rows++;
  if (rows === counting.length || rows === 0) return;
  const shares: { name: string; share: number }[] = [];
  brought.forEach((field, c) => {
    if (!isSummable(field)) return;
    const totals = totalsOf(held, matching, c, counting);
    if (totals !== null && totals.all > 0)
      shares.push({ name: field.name, share: totals.arrived / totals.all });
  });
  if (shares.length === 0) return;
  shares.sort((a, b) => a.share - b.share);
  const [least] = shares;
  const most = shares[shares.length - 1];
  const words = `${percent(rows / counting.length)} of the rows of ${table} arrived, with ${percent(least.share)} of ${least.name}${percent(most.share) === percent(least.share) ? '' : ` to ${percent(most.share)} of ${most.name}`}.`;
  account.notes.push(words);
  const arrived = rows / counting.length;
  if (arrived > 0.9 && least.share < arrived - 0.1)
    account.findings.push({ code: 'join-totals-left', severity: 'warning', layer, words });
}

/** Rows that are units: a total among them would count all of them twice. */
function countingRows(held: HeldTable): number[] {
  const totals = new Set<number>();
  for (let key = 0; key < held.index.size; key++) if (isTotalKey(held.index.text(key))) totals.add(key);
  const rows: number[] = [];
  for (let row = 0; row < held.rows; row++) if (!totals.has(held.keyOf[row])) rows.push(row);
  return rows;
}

/** Sum of a column over some rows and over those of them that arrived; null where it has values below zero. */
function totalsOf(
  held: HeldTable,
  matching: Matching,
  c: number,
  counting: readonly number[],
): { all: number; arrived: number } | null {
  const column = held.columns[c];
  const all: number[] = [];
  const arrived: number[] = [];
  for (const row of counting) {
    const value = column.number(row);
    if (value < 0) return null;
    if (Number.isNaN(value)) continue;
    all.push(value);
    if (held.keyOf[row] >= 0 && matching.used[held.keyOf[row]] > 0) arrived.push(value);
  }
  return { all: exactSum(all), arrived: exactSum(arrived) };
}

/** A row that arrived and holds the sum of all others that did is a total that stands at a feature. */
function tellTotals(account: Account, { layer, table, brought, held, matching }: Joined): void {
  const rows: number[] = [];
  for (let key = 0; key < held.index.size; key++)
    if (matching.used[key] > 0 && rows.length < mostSearched) rows.push(held.index.firstRow[key]);
  const figures = brought.flatMap((field, c) => (isSummable(field) ? [held.columns[c]] : []));
  if (rows.length < 4 || figures.length === 0) return;
  const sums = figures.map((column) => exactSum(rows.map((row) => column.number(row) || 0)));
  const total = rows.find((row) =>
    figures.every((column, k) => {
      const value = column.number(row);
      return value > 0 && Math.abs(2 * value - sums[k]) <= 1e-9 * sums[k];
    }),
  );
  if (total === undefined) return;
  const key = held.index.text(held.keyOf[total]);
  account.findings.push({
    code: 'join-total-row',
    severity: 'warning',
    layer,
    words: `The row ${shownKey(key)} of ${table} holds the sum of all others that arrived, in every figure: it is a total, and stands at a feature.`,
    repair: 'leave totals out first (rows: without totals)',
  });
}
