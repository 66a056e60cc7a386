export { type Answer, announcedLength, ask, askedOnce, askJson, jsonOf } from './ask.ts';
export type { Fetch, Meter, Request, TransferContext } from './context.ts';
export { Credentials, type SecretParts } from './credentials.ts';
export { failure, isPassing, retryAfter } from './failures.ts';
export { HostGate, usualAtOnce } from './hosts.ts';
export { headerLinks, type Link, linkShape, linkTo } from './links.ts';
export { spanWords } from './retrying.ts';
export { type FileRequest, type Transfer, transfer } from './transfer.ts';
