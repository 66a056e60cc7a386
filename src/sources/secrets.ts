import { percentDecoded } from '../core/percent-encoding.ts';

/** Words in the names of parameters that hold what opens a door. */
const secretWords = new Set(
  'key apikey accesskey token secret password passwd pass pwd sig signature auth authorization credential credentials jwt sas session sessionid sid bearer ticket'.split(
    ' ',
  ),
);

/** Does a parameter of this name hold a key, a password, a signature? `apiKey`, `X-Amz-Signature`, `access_token`. */
export function isSecretName(name: string): boolean {
  const words = name.replace(/([a-z0-9])([A-Z])/g, '$1 $2').split(/[^A-Za-z0-9]+| /);
  return words.some((word) => secretWords.has(word.toLowerCase()));
}

const hidden = '…';

/** An address without user and password and without the values of parameters that open a door. */
export function withoutSecrets(address: string): string {
  if (!URL.canParse(address)) return address;
  const url = new URL(address);
  url.username = '';
  url.password = '';
  for (const name of new Set(url.searchParams.keys()))
    if (isSecretName(name)) url.searchParams.set(name, hidden);
  return url.toString();
}

/** The same for what stands behind an address: `data.csv?key=abc`. */
export function withoutSecretsIn(relative: string): string {
  const mark = relative.indexOf('?');
  if (mark < 0 || URL.canParse(relative)) return withoutSecrets(relative);
  return (
    relative.slice(0, mark) + withoutSecrets(`http://x/${relative.slice(mark)}`).slice('http://x/'.length)
  );
}

/** The values themselves, so that they can be concealed wherever else they turn up. */
export function secretsIn(address: string): string[] {
  const mark = address.indexOf('?');
  const whole = URL.canParse(address) ? address : mark < 0 ? 'http://x/' : `http://x/${address.slice(mark)}`;
  const url = new URL(whole);
  const values = [...url.searchParams].filter(([name]) => isSecretName(name)).map(([, value]) => value);
  return [...values, percentDecoded(url.password)].filter((value) => value !== '');
}
