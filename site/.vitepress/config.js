import { defineConfig } from 'vitepress'

const guide = [
  [
    'The first endpoint',
    [
      ['start', 'Start'],
      ['fields', 'Fields'],
      ['judging', 'Judging requests'],
      ['rules', 'Rules between fields'],
    ],
  ],
  [
    'Checks outside the request',
    [
      ['lookups', 'Lookups'],
      ['turns', 'Turns'],
      ['who', 'Callers and permissions'],
    ],
  ],
  [
    'Serving',
    [
      ['frameworks', 'Serving, frameworks, pages'],
      ['statuses', 'Statuses, limits, answers'],
      ['client', 'A client'],
      ['journal', 'The journal'],
    ],
  ],
  [
    'Testing',
    [
      ['testing', 'Testing a service'],
      ['check', 'Sample books'],
      ['command', 'The command'],
      ['desk', 'The desk'],
    ],
  ],
  [
    'More',
    [
      ['recipes', 'Recipes'],
      ['security', 'Security'],
      ['performance', 'Performance'],
      ['observatory', 'The observatory'],
    ],
  ],
]
const subpaths = ['', 'node', 'koa', 'page', 'vite', 'client', 'journal', 'redis', 'probe', 'codes']

/** Code in the desk's colours: ink, the signal colour for keywords, and one for what is written out. */
const codeTheme = (name, type, { ink, sheet, faint, good, signal }) => ({
  name,
  type,
  colors: { 'editor.foreground': ink, 'editor.background': sheet },
  tokenColors: [
    { settings: { foreground: ink } },
    { scope: ['comment', 'punctuation.definition.comment'], settings: { foreground: faint } },
    { scope: ['keyword', 'storage'], settings: { foreground: signal } },
    { scope: ['string', 'constant.numeric', 'constant.language'], settings: { foreground: good } },
    { scope: ['entity.name.function', 'support.function'], settings: { fontStyle: 'bold' } },
  ],
})
const light = { ink: '#1f2635', sheet: '#fffdf9', faint: '#656b79', good: '#1c6b5a', signal: '#a5371f' }
const dark = { ink: '#e9e4d8', sheet: '#1d2027', faint: '#a19d92', good: '#7cc7b0', signal: '#ff9a7d' }

export default defineConfig({
  title: 'Yosei',
  description: 'Validates HTTP requests: typed input, or a status and all errors at once.',
  lang: 'en',
  // Its own icon: a tick of the signal colour, without a request.
  head: [
    [
      'link',
      {
        rel: 'icon',
        href: 'data:image/svg+xml,%3Csvg xmlns=%22http://www.w3.org/2000/svg%22 viewBox=%220 0 16 16%22%3E%3Cpath d=%22M2 8l4 5 8-11%22 fill=%22none%22 stroke=%22%23a5371f%22 stroke-width=%222.5%22/%3E%3C/svg%3E',
      },
    ],
  ],
  srcDir: 'pages',
  outDir: 'dist',
  cleanUrls: true,
  ignoreDeadLinks: false,
  markdown: { theme: { light: codeTheme('paper', 'light', light), dark: codeTheme('ink', 'dark', dark) } },
  themeConfig: {
    search: { provider: 'local' },
    outline: { level: [2, 3] },
    nav: [
      { text: 'Start', link: '/guide/start' },
      { text: 'Guide', link: '/guide/fields' },
      { text: 'Recipes', link: '/guide/recipes' },
      { text: 'Reference', link: '/reference/yosei' },
      { text: 'Codes', link: '/reference/codes' },
    ],
    sidebar: {
      '/guide/': guide.map(([text, items]) => ({
        text,
        items: items.map(([page, name]) => ({ text: name, link: `/guide/${page}` })),
      })),
      '/reference/': [
        {
          text: 'Reference',
          items: [
            { text: 'Codes', link: '/reference/codes' },
            { text: 'Commands', link: '/reference/commands' },
          ],
        },
        {
          text: 'Names',
          items: subpaths.map((subpath) => ({
            text: subpath === '' ? 'yosei' : `yosei/${subpath}`,
            link: subpath === '' ? '/reference/yosei' : `/reference/yosei-${subpath}`,
          })),
        },
      ],
    },
  },
})
