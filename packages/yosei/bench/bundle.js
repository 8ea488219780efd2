/**
 * Prints the sizes of the library in pages, bundled and minified by Vite, without `yosei/vite` and with it; then, of ten
 * fields and a rule, the rooms and the twenty largest files. Exits with 1 if a page is over its bound.
 */
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { gzipSync } from 'node:zlib'
import { build as bundle } from 'rolldown'
import { build } from 'vite'
import yosei from 'yosei/vite'

const folder = mkdtempSync(fileURLToPath(new URL('.tmp-', import.meta.url)))
const observatory = fileURLToPath(new URL('../../../examples/observatory/intake.ts', import.meta.url))
const show = (verdict) => `document.title = JSON.stringify(${verdict})`
/** Each with the kB (1,000 bytes, gzipped) that it may have without the plugin, and with it. */
const pages = {
  'one text field': [
    25.2,
    17.2,
    `import { endpoint, judgeParts, record, text } from 'yosei/page'
${show("judgeParts(endpoint('POST /', { body: record({ name: text({ length: [1, 40] }) }) }), { body: { name: location.hash } }, { text: true })")}`,
  ],
  'ten fields and a rule': [
    38.2,
    31.6,
    `import { ascending, choice, day, decimal, endpoint, flag, instant, integer, judgeParts, list, number, record, text, use } from 'yosei/page'
use({ ascending })
const form = endpoint('POST /', {
  body: record({
    name: text({ length: [1, 40], tidy: ['trim'] }), contact: text({ format: 'email' }), opens: instant({ from: '+36h' }), closes: instant(),
    filters: list(choice(['clear', 'red', 'blue']), { length: [1, 3] }), count: integer({ min: 1, default: 1 }), price: decimal({ optional: true }),
    night: day({ optional: true }), magnitude: number({ optional: true }), dryRun: flag({ default: false }),
  }),
  rules: (on) => [on.ascending('body.opens', 'body.closes')],
})
${show('judgeParts(form, { body: Object.fromEntries(new FormData(document.forms[0])) }, { text: true })')}`,
  ],
  'the observatory': [
    undefined,
    48.5,
    `import { judgeParts } from 'yosei'
import app from ${JSON.stringify(observatory)}
${show('judgeParts(app.endpoints.bookSession, { body: {} })')}`,
  ],
}

let isOver = false
for (const [name, [bare, lean, code]] of Object.entries(pages))
  for (const [most, plugins, how] of [
    [bare, [], ''],
    [lean, [yosei()], 'yosei/vite'],
  ]) {
    if (most === undefined) continue
    const entry = join(folder, `${name.replaceAll(' ', '-')}.js`)
    writeFileSync(entry, code)
    const { output } = await build({
      configFile: false,
      logLevel: 'error',
      plugins,
      build: { write: false, minify: true, rollupOptions: { input: entry } },
    })
    const gzipped = gzipSync(output[0].code, { level: 9 }).length
    isOver ||= gzipped > most * 1000
    const told = `${(gzipped / 1000).toFixed(1).padStart(5)} kB (≤ ${most})${gzipped > most * 1000 ? ' OVER' : ''}`
    console.log(`${name.padEnd(22)} ${how.padEnd(11)} ${told}`)
  }

// From the sources, since the package has them in one file; not minified, since the comments name them.
const source = fileURLToPath(new URL('../src/page.ts', import.meta.url))
const entry = join(folder, 'files.js')
writeFileSync(entry, pages['ten fields and a rule'][2].replace("'yosei/page'", JSON.stringify(source)))
const { output } = await bundle({
  input: entry,
  write: false,
  platform: 'browser',
  treeshake: { moduleSideEffects: false },
})
const sizes = { files: new Map(), rooms: new Map() }
let file = ''
for (const line of output[0].code.split('\n')) {
  const [, next] = /^\/\/ .*\bsrc\/(\S+\.ts)$/.exec(line) ?? []
  file = next ?? file
  if (next || file === '' || /^\s*(?:\/\*\*|\*|\/\/)/.test(line)) continue
  for (const [name, all] of [
    [file, sizes.files],
    [file.replace(/\/.*/, '/'), sizes.rooms],
  ])
    all.set(name, (all.get(name) ?? 0) + line.trim().length)
}
for (const [all, most] of [
  [sizes.rooms, 20],
  [sizes.files, 20],
]) {
  console.log('\nbytes before minifying')
  for (const [name, size] of [...all].sort((a, b) => b[1] - a[1]).slice(0, most))
    console.log(`${String(size).padStart(7)}  ${name}`)
}
rmSync(folder, { recursive: true })
process.exitCode = isOver ? 1 : 0
