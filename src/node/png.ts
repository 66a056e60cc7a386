import { createRequire } from 'node:module';
import { dirname, join } from 'node:path';

const require = createRequire(import.meta.url);
const folder = dirname(require.resolve('@expo-google-fonts/source-sans-3/package.json'));
const fontFiles = [
  '400Regular/SourceSans3_400Regular.ttf',
  '600SemiBold/SourceSans3_600SemiBold.ttf',
  '700Bold/SourceSans3_700Bold.ttf',
].map((file) => join(folder, file));

/** SVG → PNG, with the font that ships with the package, so that a map looks the same on every machine. */
export async function pngFromSvg(svg: string, width: number): Promise<Uint8Array> {
  const { Resvg } = await import('@resvg/resvg-js');
  const picture = new Resvg(svg, {
    fitTo: { mode: 'width', value: width },
    font: { fontFiles, loadSystemFonts: false, defaultFontFamily: 'Source Sans 3' },
  });
  return picture.render().asPng();
}
