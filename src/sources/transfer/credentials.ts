import { percentEncoded } from '../../core/percent-encoding.ts';
import { secretsIn, withoutSecrets } from '../secrets.ts';

/** What opens a source: values from the environment, which are sent to its own origin and written down nowhere. */
export interface SecretParts {
  headers?: Readonly<Record<string, string>>;
  parameters?: Readonly<Record<string, string>>;
}

/** Stands in place of what is concealed. */
export const hidden = '…';

/** Keys and accounts of one source. */
export class Credentials {
  private readonly origin: string | null;
  private readonly headers: Readonly<Record<string, string>>;
  private readonly parameters: Readonly<Record<string, string>>;
  private readonly values: readonly string[];

  /**
   * @param address the source that they are for
   * @param parts headers (names in small letters) and query parameters
   * @param also other texts that must not appear anywhere, such as a password within an encoded header
   */
  constructor(address: string, parts: SecretParts = {}, also: readonly string[] = []) {
    this.origin = URL.canParse(address) ? new URL(address).origin : null;
    this.headers = parts.headers ?? {};
    this.parameters = parts.parameters ?? {};
    const values = [
      ...Object.values(this.headers),
      ...Object.values(this.parameters),
      ...also,
      ...secretsIn(address),
    ];
    // Also what stands behind “Bearer” or “Basic”, and all of it as it looks within an address.
    const bare = values.flatMap((value) => [value, value.replace(/^\S+ /, '')]);
    this.values = [...new Set(bare.flatMap((value) => [value, percentEncoded(value)]))]
      .filter((value) => value.length > 3)
      .sort((a, b) => b.length - a.length);
  }

  /** The headers that go to an address: none to another origin than the source's own. */
  headersFor(url: string): Record<string, string> {
    return new URL(url).origin === this.origin ? { ...this.headers } : {};
  }

  /** The address that is really asked: with keys for the source's own origin, and without any for others. */
  addressFor(address: string): string {
    const entries = Object.entries(this.parameters);
    const url = new URL(address);
    if (url.origin === this.origin) {
      if (entries.length === 0) return address;
      for (const [name, value] of entries) url.searchParams.set(name, value);
      return url.toString();
    }
    // A redirect may have copied the query, key and all.
    for (const [name, value] of [...url.searchParams])
      if (this.values.includes(value)) url.searchParams.delete(name);
    url.username = '';
    url.password = '';
    return url.toString();
  }

  /** A text in which none of the secrets stands any more. */
  conceal(text: string): string {
    let result = text;
    for (const value of this.values) result = result.replaceAll(value, hidden);
    return result;
  }

  /**
   * An address as it may be shown and written down.
   *
   * @param linked true for one that a service gave as the next page: what it is made of is the service's own, and only what
   *   opens the source is taken out
   */
  shown(address: string, linked = false): string {
    let url = address;
    if (URL.canParse(address)) {
      const parsed = new URL(address);
      let changed = parsed.username !== '' || parsed.password !== '';
      parsed.username = '';
      parsed.password = '';
      for (const name of Object.keys(this.parameters)) {
        changed ||= parsed.searchParams.has(name);
        parsed.searchParams.delete(name);
      }
      if (changed) url = parsed.toString();
    }
    return this.conceal(linked ? url : withoutSecrets(url));
  }
}
