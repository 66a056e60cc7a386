/** How many requests one host is asked at the same time, unless the study says otherwise. */
export const usualAtOnce = 2;

interface Host {
  busy: number;
  waiting: (() => void)[];
  /** Nobody asks before this time, milliseconds since 1970. */
  until: number;
}

/** Keeps many requests polite: a host has only so many at a time, and who was asked to wait is left alone by all. */
export class HostGate {
  private readonly hosts = new Map<string, Host>();
  private readonly atOnce: ReadonlyMap<string, number>;
  private readonly clock: () => number;
  private readonly sleep: (milliseconds: number) => Promise<void>;

  /** @param atOnce requests at a time by origin, where it is not the usual number */
  constructor(
    sleep: (milliseconds: number) => Promise<void>,
    atOnce: ReadonlyMap<string, number> = new Map(),
    clock: () => number = Date.now,
  ) {
    this.sleep = sleep;
    this.atOnce = atOnce;
    this.clock = clock;
  }

  private host(origin: string): Host {
    let host = this.hosts.get(origin);
    if (host === undefined) {
      host = { busy: 0, waiting: [], until: 0 };
      this.hosts.set(origin, host);
    }
    return host;
  }

  /** Does `work` when the host of `url` has room for it. */
  async pass<T>(url: string, work: () => Promise<T>): Promise<T> {
    const { origin } = new URL(url);
    const host = this.host(origin);
    if (host.busy >= (this.atOnce.get(origin) ?? usualAtOnce))
      await new Promise<void>((resolve) => host.waiting.push(resolve));
    else host.busy++;
    try {
      // While it rests, the host may be asked by somebody else to rest for longer.
      for (let rested = -1; host.until > this.clock() && host.until !== rested; ) {
        rested = host.until;
        await this.sleep(host.until - this.clock());
      }
      return await work();
    } finally {
      // The place is handed on to who waits longest, if somebody does.
      const next = host.waiting.shift();
      if (next === undefined) host.busy--;
      else next();
    }
  }

  /** Nobody asks the host of `url` for so many milliseconds. */
  rest(url: string, milliseconds: number): void {
    const host = this.host(new URL(url).origin);
    host.until = Math.max(host.until, this.clock() + milliseconds);
  }
}
