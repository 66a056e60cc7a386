/** % any run of characters, _ one character, \ takes the next one as it is. */
export function likePattern(pattern: string): RegExp {
  let source = '';
  for (let k = 0; k < pattern.length; k++) {
    const c = pattern[k];
    if (c === '\\' && k + 1 < pattern.length) source += pattern[++k].replace(/[\\^$.*+?()[\]{}|/-]/g, '\\$&');
    else if (c === '%') source += '[\\s\\S]*';
    else if (c === '_') source += '[\\s\\S]';
    else source += c.replace(/[\\^$.*+?()[\]{}|/-]/g, '\\$&');
  }
  return new RegExp(`^${source}$`, 'u');
}
