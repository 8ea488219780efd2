/** Prints the size of the library in a page with a form, bundled and minified by Vite, and what it consists of. */
import { fileURLToPath } from 'node:url'
import { gzipSync } from 'node:zlib'
import { build } from 'vite'

const entry = fileURLToPath(new URL('form.js', import.meta.url))
const { output } = await build({
  configFile: false,
  logLevel: 'warn',
  build: { write: false, minify: true, rollupOptions: { input: entry } },
})
const [chunk] = output
const modules = Object.entries(chunk.modules)
  .map(([id, { renderedLength }]) => [id.replace(/^.*\/(?:dist|bench)\//, ''), renderedLength])
  .filter(([, length]) => length > 0)
  .sort((a, b) => b[1] - a[1])
const total = modules.reduce((sum, [, length]) => sum + length, 0)
const gzipped = gzipSync(chunk.code, { level: 9 }).length
console.log(`${chunk.code.length} bytes minified, ${gzipped} gzipped (aim: 16000)\n`)
for (const [id, length] of modules) console.log(`${((100 * length) / total).toFixed(1).padStart(5)} %  ${id}`)
