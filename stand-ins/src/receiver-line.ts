import { readFileSync } from 'node:fs';
import { createServer, type Server, type Socket } from 'node:net';

/** How the simulated receiver behaves: as it should; it stops in the middle and holds the line; says nothing; breaks the line off. */
export type LineMood = 'well' | 'stalls' | 'silent' | 'breaks';

export interface ReceiverLineOptions {
  /** File with the sentences that it sends. */
  file: string;
  mood?: () => LineMood;
  /** Bytes that it sends at a time, and milliseconds between them. */
  piece?: number;
  pause?: number;
}

/** A simulated position receiver on a line of the network: it sends its sentences to whoever connects, and ends. */
export class ReceiverLine {
  private readonly options: ReceiverLineOptions;
  private readonly server: Server;
  private readonly sockets = new Set<Socket>();

  constructor(options: ReceiverLineOptions) {
    this.options = options;
    this.server = createServer((socket) => {
      this.sockets.add(socket);
      socket.on('close', () => this.sockets.delete(socket));
      // Who hangs up has heard enough.
      socket.on('error', () => socket.destroy());
      this.send(socket);
    });
  }

  private send(socket: Socket): void {
    const { file, mood = () => 'well', piece = 4096, pause = 2 } = this.options;
    const now = mood();
    if (now === 'silent') return;
    const bytes = readFileSync(file);
    const end = now === 'well' ? bytes.length : Math.floor(bytes.length / 2);
    let at = 0;
    const next = (): void => {
      if (socket.destroyed) return;
      if (at >= end) {
        if (now === 'well') socket.end();
        else if (now === 'breaks') socket.resetAndDestroy();
        return;
      }
      socket.write(bytes.subarray(at, Math.min(end, at + piece)));
      at += piece;
      setTimeout(next, pause);
    };
    next();
  }

  /** Address of the receiver: `tcp://127.0.0.1:47816`. */
  listen(port = 0): Promise<string> {
    return new Promise((resolve, reject) => {
      this.server.once('error', reject);
      this.server.listen(port, '127.0.0.1', () => {
        this.server.off('error', reject);
        const { port: own } = this.server.address() as { port: number };
        resolve(`tcp://127.0.0.1:${own}`);
      });
    });
  }

  close(): Promise<void> {
    for (const socket of this.sockets) socket.destroy();
    return new Promise((resolve) => {
      this.server.close(() => resolve());
    });
  }
}
