import { createHash } from 'node:crypto';
import { existsSync, readFileSync, statSync } from 'node:fs';
import { join } from 'node:path';
import type { Answer, Asking } from './service.ts';

const types: Record<string, string> = {
  csv: 'text/csv',
  zip: 'application/zip',
  pbf: 'application/octet-stream',
  tif: 'image/tiff',
  json: 'application/json',
  geojson: 'application/geo+json',
};

/** Sends a file of a folder: ETag, Last-Modified, Repr-Digest, conditional requests, ranges (RFC 9110, RFC 9530). */
export function sendFile(folder: string, name: string, request: Asking, reply: Answer): unknown {
  const path = join(folder, name);
  if (name.includes('/') || name.includes('..') || !existsSync(path) || !statSync(path).isFile())
    return reply.code(404).type('text/plain').send('No such file.');
  const content = readFileSync(path);
  const digest = createHash('sha256').update(content).digest();
  const etag = `"${digest.toString('hex').slice(0, 16)}"`;
  const modified = new Date(Math.floor(statSync(path).mtimeMs / 1000) * 1000).toUTCString();
  reply
    .header('etag', etag)
    .header('last-modified', modified)
    .header('repr-digest', `sha-256=:${digest.toString('base64')}:`)
    .header('accept-ranges', 'bytes')
    .type(types[name.slice(name.lastIndexOf('.') + 1)] ?? 'application/octet-stream');
  const { headers } = request;
  if (headers['if-none-match'] === etag) return reply.code(304).send();
  const range = /^bytes=(\d+)-(\d*)$/.exec(headers.range ?? '');
  const condition = headers['if-range'];
  if (range !== null && (condition === undefined || condition === etag || condition === modified)) {
    const from = Number(range[1]);
    const to = range[2] === '' ? content.length - 1 : Math.min(content.length - 1, Number(range[2]));
    if (from > to) return reply.code(416).header('content-range', `bytes */${content.length}`).send();
    return reply
      .code(206)
      .header('content-range', `bytes ${from}-${to}/${content.length}`)
      .send(content.subarray(from, to + 1));
  }
  return reply.send(content);
}
