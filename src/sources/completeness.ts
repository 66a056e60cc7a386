import { counted, grouped } from '../core/account.ts';
import type { Finding } from '../core/findings.ts';
import type { PageIds } from './feature-ids.ts';
import type { Request, TransferContext } from './transfer/context.ts';
import { failure } from './transfer/failures.ts';

/** A larger share of what was announced must not be missing: less is told, more is an error. */
const largestGap = 0.01;

/** What came of a collection that is read page by page: pages may shift meanwhile, and links may be missing. */
export class Arrivals {
  private readonly ids = new Set<number>();
  private readonly pages = new Map<string, PageIds & { next: string | undefined }>();
  features = 0;
  /** Features that came again, by their ids. */
  repeated = 0;

  /** What is known of a page before it is counted, by its path; its link as it came, which is not written down so. */
  know(path: string, page: PageIds & { next: string | undefined }): void {
    this.pages.set(path, page);
  }

  known(path: string): (PageIds & { next: string | undefined }) | undefined {
    return this.pages.get(path);
  }

  /** Counts a page; false when it has features and every one of them came before. */
  add({ features, ids }: PageIds): boolean {
    let fresh = 0;
    for (const id of ids) {
      if (this.ids.has(id)) this.repeated++;
      else {
        this.ids.add(id);
        fresh++;
      }
    }
    this.features += features;
    return features === 0 || fresh > 0 || ids.length < features;
  }

  /** Takes back a page that brought nothing new. */
  take(features: number): void {
    this.features -= features;
    this.repeated -= features;
  }

  get distinct(): number {
    return this.features - this.repeated;
  }
}

/** Did less come than was announced, or something twice where nobody announced a number? Then it is asked once more. */
export function isShort(arrivals: Arrivals, announced: number | undefined): boolean {
  return announced === undefined ? arrivals.repeated > 0 : arrivals.distinct < announced;
}

/**
 * What is to be told after the second asking: nothing, a finding, or an error where too much is missing.
 *
 * @param request the address that was asked first, for words
 */
export function gapFindings(
  name: string,
  arrivals: Arrivals,
  announced: number | undefined,
  request: Pick<Request, 'what' | 'url'>,
  context: TransferContext,
): Finding[] {
  const { distinct, repeated } = arrivals;
  const again = repeated === 0 ? '' : `, ${grouped(repeated)} of them twice`;
  if (announced !== undefined && distinct < announced) {
    const missing = announced - distinct;
    if (missing > largestGap * announced)
      throw failure(
        'source-incomplete',
        request,
        context,
        `${counted(announced, 'feature was', 'features were')} announced, and ${grouped(arrivals.features)} came${again}; the service leads to no more, asked twice.`,
        'Ask its makers; until then, a smaller area or another “page size:” may bring all.',
      );
    return [
      {
        code: 'features-missing',
        severity: 'warning',
        layer: name,
        words: `${name}: ${counted(announced, 'feature was', 'features were')} announced, and ${grouped(distinct)} different ones came${repeated === 0 ? '' : ` (${grouped(repeated)} came twice: the pages shifted while they were read)`}; ${counted(missing, 'is', 'are')} missing.`,
        repair: 'gather again with --again when the service is at rest',
      },
    ];
  }
  if (announced === undefined && repeated > 0)
    return [
      {
        code: 'features-repeated',
        severity: 'warning',
        layer: name,
        words: `${name}: ${counted(repeated, 'feature', 'features')} came twice, asked two times: the pages shifted while they were read, and as many may be missing.`,
        repair: 'gather again with --again when the service is at rest',
      },
    ];
  if (announced !== undefined && distinct > announced)
    return [
      {
        code: 'features-more',
        severity: 'note',
        layer: name,
        words: `${name}: ${counted(announced, 'feature was', 'features were')} announced, and ${grouped(distinct)} came.`,
      },
    ];
  return [];
}
