import { fileURLToPath } from 'node:url';

/** The weights that maps are written in; the build lays them beside the code. */
const fontFiles = ['400Regular', '600SemiBold', '700Bold'].map((weight) =>
  fileURLToPath(new URL(`../../fonts/SourceSans3_${weight}.ttf`, import.meta.url)),
);

/** SVG → PNG, with the font that ships with the package, so that a map looks the same on every machine. */
export async function pngFromSvg(svg: string, width: number): Promise<Uint8Array> {
  const { Resvg } = await import('@resvg/resvg-js');
  const picture = new Resvg(svg, {
    fitTo: { mode: 'width', value: width },
    font: { fontFiles, loadSystemFonts: false, defaultFontFamily: 'Source Sans 3' },
  });
  return picture.render().asPng();
}
