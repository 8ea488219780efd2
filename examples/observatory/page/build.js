/** Builds the pages, and says how large they are: node examples/observatory/page/build.js */
import { gzipSync } from 'node:zlib'
import { build } from 'vite'

const { output } = await build({ configFile: `${import.meta.dirname}/vite.config.ts` })
const chunks = output.filter(({ type }) => type === 'chunk')
const sum = (numbers) => numbers.reduce((all, one) => all + one, 0)
const size = (bytes) => `${(bytes / 1000).toFixed(0)} kB`
const modules = chunks.flatMap((chunk) => Object.entries(chunk.modules))
const whole = sum(modules.map(([, { renderedLength }]) => renderedLength))
const own = sum(modules.flatMap(([id, { renderedLength }]) => (/packages.yosei.dist/.test(id) ? [renderedLength] : [])))
const [plain, zipped] = [(code) => code.length, (code) => gzipSync(code).length].map((of) =>
  size(sum(chunks.map(({ code }) => of(code)))),
)
console.log(`The pages: ${plain}, ${zipped} gzipped; Yosei is ${((100 * own) / whole).toFixed(0)} % of that`)
