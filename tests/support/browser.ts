import { createReadStream, existsSync, statSync } from 'node:fs';
import { createServer, type Server } from 'node:http';
import { extname, join, normalize } from 'node:path';
import { type Browser, chromium } from 'playwright-core';

const types: Record<string, string> = {
  '.html': 'text/html',
  '.js': 'text/javascript',
  '.css': 'text/css',
  '.wasm': 'application/wasm',
  '.json': 'application/json',
};

/** Serves folders on this machine: the first that has the file. */
export async function serve(...folders: string[]): Promise<{ address: string; close(): Promise<void> }> {
  const server: Server = createServer((request, response) => {
    const path = normalize(decodeURIComponent(new URL(request.url!, 'http://x').pathname)).replace(
      /^(\.\.[/\\])+/,
      '',
    );
    const file = folders
      .map((folder) => join(folder, path === '/' ? 'index.html' : path))
      .find((each) => existsSync(each) && statSync(each).isFile());
    if (file === undefined) {
      response.writeHead(404).end();
      return;
    }
    response.writeHead(200, { 'content-type': types[extname(file)] ?? 'application/octet-stream' });
    createReadStream(file).pipe(response);
  });
  await new Promise<void>((resolve) => server.listen(0, '127.0.0.1', resolve));
  const { port } = server.address() as { port: number };
  return {
    address: `http://127.0.0.1:${port}`,
    close: () => new Promise((resolve) => server.close(() => resolve())),
  };
}

/** A real Chromium. That there is none is an error, never a reason to skip. */
export async function startBrowser(): Promise<Browser> {
  const path = process.env.ISOMERIC_BROWSER ?? '/usr/bin/chromium';
  if (!existsSync(path)) throw new Error(`There is no browser at ${path}: npm test installs one.`);
  return chromium.launch({
    executablePath: path,
    args: [
      '--headless',
      '--no-sandbox',
      '--disable-gpu',
      '--disable-quic',
      '--no-first-run',
      '--disable-background-networking',
      '--disable-component-update',
      '--disable-sync',
    ],
  });
}
