/** Prints the sizes of the library in pages, bundled and minified by Vite, and what the largest of them consists of. */
import { mkdtempSync, rmSync, writeFileSync } from 'node:fs'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { gzipSync } from 'node:zlib'
import { build } from 'vite'

const folder = mkdtempSync(fileURLToPath(new URL('.tmp-', import.meta.url)))
const show = (verdict) => `document.title = JSON.stringify(${verdict})`
const pages = {
  'one text field': `import { endpoint, judgeParts, record, text } from 'yosei/page'
${show("judgeParts(endpoint('POST /', { body: record({ name: text({ length: [1, 40] }) }) }), { body: { name: location.hash } }, { text: true })")}`,
  'a form of ten fields': `import { ascending, choice, day, decimal, endpoint, flag, instant, integer, judgeParts, list, number, record, text, use } from 'yosei/page'
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
  everything: `import * as yosei from 'yosei'\nwindow.yosei = yosei`,
}

let last
for (const [name, code] of Object.entries(pages)) {
  const entry = join(folder, `${name.replaceAll(' ', '-')}.js`)
  writeFileSync(entry, code)
  const { output } = await build({
    configFile: false,
    logLevel: 'error',
    build: { write: false, minify: true, rollupOptions: { input: entry } },
  })
  last = output[0]
  const gzipped = gzipSync(last.code, { level: 9 }).length
  console.log(
    `${name.padEnd(22)} ${String(last.code.length).padStart(7)} bytes minified, ${String(gzipped).padStart(6)} gzipped`,
  )
}
rmSync(folder, { recursive: true })

const modules = Object.entries(last.modules)
  .map(([id, { renderedLength }]) => [id.replace(/^.*\/(?:dist|bench)\//, ''), renderedLength])
  .filter(([, length]) => length > 0)
  .sort((a, b) => b[1] - a[1])
const total = modules.reduce((sum, [, length]) => sum + length, 0)
console.log('')
for (const [id, length] of modules) console.log(`${((100 * length) / total).toFixed(1).padStart(5)} %  ${id}`)
