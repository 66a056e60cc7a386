import { defineConfig } from 'vitepress';

const page = (text: string, name: string) => ({ text, link: `/${name}` });

/** The pages of docs/ as a site: searched without a network, with links that lead somewhere. */
export default defineConfig({
  title: 'Isomeric',
  description: 'Gather, join, clip, reproject, check, draw and hand on the layers of a study area.',
  lang: 'en-GB',
  srcDir: '..',
  srcExclude: ['site/**', 'reference/**'],
  outDir: './dist',
  cacheDir: './.vitepress/cache',
  cleanUrls: false,

  vite: { build: { chunkSizeWarningLimit: 2000 } },
  // What the pages link of the rest of the repository is no page here.
  ignoreDeadLinks: [/^\.\.\//, /^\.\/\.\.\//],
  themeConfig: {
    search: { provider: 'local' },
    outline: { level: [2, 3] },
    nav: [
      page('Install', 'install'),
      page('A first map', 'first-map'),
      page('The study file', 'study-file'),
      page('All commands', 'commands'),
    ],
    sidebar: [
      {
        text: 'Begin',
        items: [
          page('Install', 'install'),
          page('A map from two files', 'first-map'),
          page('The demo', 'demo'),
        ],
      },
      {
        text: 'A study',
        items: [
          page('The study file', 'study-file'),
          page('Filters and computed fields', 'filters'),
          page('Why a unit is blank', 'blank'),
          page('Hand on to a colleague', 'hand-on'),
          page('The same for another area', 'another-area'),
          page('Choose a CRS', 'crs'),
          page('Check', 'check'),
        ],
      },
      {
        text: 'Gather',
        items: [
          page('Gather', 'gather'),
          page('Features', 'gather-features'),
          page('Statistics', 'gather-statistics'),
          page('Orders', 'gather-orders'),
          page('Map features', 'gather-map-features'),
          page('Files', 'gather-files'),
        ],
      },
      {
        text: 'Layers and tables',
        items: [
          page('Look', 'look-at-data'),
          page('Tables', 'tables'),
          page('Map features', 'map-features'),
          page('Formats', 'formats'),
          page('Join, clip, reproject', 'join-clip-reproject'),
          page('Join tables to units', 'join'),
          page('Join by place', 'by-place'),
          page('Older vintages', 'vintages'),
          page('Cut and combine', 'cut-and-combine'),
          page('Shapes and measures', 'shapes'),
          page('All verbs', 'verbs'),
        ],
      },
      {
        text: 'To look up',
        items: [
          page('Words', 'glossary'),
          page('Exit codes', 'exit-codes'),
          page('All commands', 'commands'),
          page('All codes', 'codes'),
        ],
      },
      {
        text: 'For programs',
        items: [
          page('The library', 'library'),
          page('The simulated services', 'stand-ins'),
          page('What it costs', 'performance'),
          page('How it is built', 'architecture'),
        ],
      },
    ],
  },
});
