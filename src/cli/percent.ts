/** `12.3 %`, `100 %`, `<0.1 %` of a share from 0 to 1. */
export function percentText(share: number): string {
  const percent = share * 100;
  if (percent === 0) return '0 %';
  if (percent < 0.1) return '<0.1 %';
  if (percent > 99.95 && share < 1 - 1e-9) return '>99.9 %';
  return `${Number(percent.toFixed(1))} %`;
}
