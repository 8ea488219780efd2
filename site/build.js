/**
 * Writes the pages of the site, of the docs, the docstrings, the codes and the command's help, and builds it: node
 * site/build.js. The result is in site/dist, and asks no other host for anything.
 */
import { execFileSync } from 'node:child_process'
import { cpSync, mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { deflateRawSync } from 'node:zlib'
import { build } from 'vitepress'
import { codes } from 'yosei/codes'
import { referencePages } from './api.js'
import { playgroundPage } from './playground/build.js'

const site = dirname(fileURLToPath(import.meta.url))
const root = join(site, '..')
const pages = join(site, 'pages')
rmSync(pages, { recursive: true, force: true })
const put = (path, text) => {
  mkdirSync(dirname(join(pages, path)), { recursive: true })
  writeFileSync(join(pages, path), text)
}

/** Links of the repository, as they are on the site. What is no page is named, and not linked. */
const linked = (text) =>
  text
    .replaceAll('](screenshots/', '](/screenshots/')
    .replace(/\]\((?:\.\.\/)*docs\/screenshots\//g, '](/screenshots/')
    .replace(/\]\((?:\.\.\/)*docs\/([\w-]+)\.md(#[\w-]+)?\)/g, '](/guide/$1$2)')
    .replaceAll('](../examples/observatory/README.md)', '](/guide/observatory)')
    .replace(/\]\(([\w-]+)\.md(#[\w-]+)?\)/g, '](/guide/$1$2)')
    .replace(/(?<!!)\[([^\]]+)\]\((?!\/|https?:|#)[^)]+\)/g, '$1')
/** Code stays as it is. Vue reads double braces elsewhere, and in code of a line. */
const paged = (text) =>
  text
    .split(/(^`{3,}[\s\S]*?^`{3,}$)/m)
    .map((part, index) => (index % 2 === 1 ? part + tried(part) : linked(part).replaceAll('{{', '&#123;{')))
    .join('')

/** A link to the playground, below an example that stands alone: it imports `yosei` alone, and declares an endpoint. */
function tried(block) {
  const source = /^```ts\n([\s\S]*)```$/.exec(block)?.[1]
  if (source === undefined || !/\bendpoint\(/.test(source)) return ''
  const imported = [...source.matchAll(/^import .*?from '([^']+)'/gms)].map(([, name]) => name)
  if (imported.length === 0 || imported.some((name) => name !== 'yosei')) return ''
  const fragment = deflateRawSync(JSON.stringify({ source, request: '' })).toString('base64url')
  return `\n\n<a class="try" href="/play#try=${fragment}" target="_self">Try it</a>\n`
}

for (const name of readdirSync(join(root, 'docs')).filter((name) => name.endsWith('.md')))
  put(`guide/${name}`, paged(readFileSync(join(root, 'docs', name), 'utf8')))
put('guide/observatory.md', paged(readFileSync(join(root, 'examples/observatory/README.md'), 'utf8')))
cpSync(join(root, 'docs/screenshots'), join(pages, 'public/screenshots'), { recursive: true })

put('reference/codes.md', codesPage())
put('reference/commands.md', commandsPage())
const { exports } = JSON.parse(readFileSync(join(root, 'packages/yosei/package.json'), 'utf8'))
for (const { subpath, text } of await referencePages(join(root, 'packages/yosei'), exports))
  put(`reference/${subpath}.md`, text)
for (const [from, to] of [
  ['home.md', 'index.md'],
  ['play.md', 'play.md'],
])
  put(to, readFileSync(join(site, from), 'utf8'))
put('public/playground/index.html', await playgroundPage())

await build(site)

function codesPage() {
  const sheets = Object.values(codes).map(({ code, when, from, status, words, example }) => {
    const said = Object.entries(words).flatMap(([language, texts]) =>
      [...new Set(Object.values(texts))].map((text) => `| ${language} | ${text.replaceAll('|', '\\|')} |`),
    )
    const shown = example
      ? `\n\n\`\`\`ts\n${example.declared}\n// ${example.good} passes\n// ${example.bad}: ${example.message}\n\`\`\``
      : ''
    return `## ${code} {#${code}}\n\n${when}\n\nFrom ${from}. Status: ${status}.${shown}\n\n| language | words |\n| --- | --- |\n${said.join('\n')}`
  })
  return `# Codes\n\nEvery code of the library: when it comes, its status, and its words. \`yosei explain CODE\` prints the same, offline.\n\n${sheets.join('\n\n')}\n`
}

function commandsPage() {
  const help = (...args) =>
    execFileSync(process.execPath, [join(root, 'packages/yosei-cli/bin/yosei.js'), ...args, '--help'], {
      encoding: 'utf8',
      env: { ...process.env, COLUMNS: '100' },
    })
  const whole = help()
  const names = [...whole.matchAll(/^ {2}(\w+) (?:\[|<)/gm)].map(([, name]) => name).filter((name) => name !== 'help')
  const parts = [...new Set(names)].map((name) => `## ${name} {#${name}}\n\n\`\`\`text\n${help(name).trim()}\n\`\`\``)
  return `# Commands\n\nEvery command and flag. [The command](/guide/command) shows them at work.\n\n\`\`\`text\n${whole.trim()}\n\`\`\`\n\n${parts.join('\n\n')}\n`
}
