/**
 * Prints what the compiler needs for a module of 50 endpoints with 20 fields each. Exits with 1 if one compiler makes more
 * than 400,000 instantiations of types.
 */
import { execFileSync } from 'node:child_process'
import { mkdirSync, rmSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'

const most = 400_000

const kinds = [
  'text({ length: [1, 80], tidy: ["trim"] })',
  'integer({ min: 0, max: 9 })',
  'number({ optional: true })',
  "choice(['a', 'b', 'c'])",
  'instant()',
  'list(record({ n: integer(), at: instant({ optional: true }) }), { length: [0, 9] })',
  "tagged('kind', { a: record({ x: integer() }), b: record({ y: text() }) })",
  'flag({ default: false })',
  'record({ low: number(), high: number() })',
  'text({ optional: true, nullable: true })',
]
const fields = (from, count) =>
  Array.from({ length: count }, (_, i) => `f${from + i}: ${kinds[(from + i) % kinds.length]}`).join(', ')
const endpoints = Array.from(
  { length: 50 },
  (_, n) => `const e${n} = endpoint('POST /things${n}/{id}', {
  path: { id: text() },
  query: { limit: integer({ default: 20 }), dark: flag({ optional: true }), until: instant({ optional: true }) },
  header: { 'x-team': text() },
  body: record({ ${fields(n, 15)}, low: integer(), high: integer() }),
  rules: (on) => [on.ascending('body.low', 'body.high'), on.check({ reads: ['body.low', 'query.limit'], code: 'odd', holds: (low, limit) => low < limit })],
})
export const input${n} = (verdict: Accepted<typeof e${n}>) => verdict.body.low + verdict.query.limit`,
)
const module = `import { type Accepted, choice, endpoint, flag, instant, intake, integer, list, number, record, tagged, text } from 'yosei'
${endpoints.join('\n')}
export default intake({ endpoints: { ${endpoints.map((_, n) => `e${n}`).join(', ')} } })
`

const here = dirname(fileURLToPath(import.meta.url))
const folder = join(here, 'generated')
mkdirSync(folder, { recursive: true })
writeFileSync(join(folder, 'fifty.ts'), module)
const options = {
  strict: true,
  noEmit: true,
  target: 'es2022',
  module: 'preserve',
  moduleResolution: 'bundler',
  lib: ['es2023', 'dom', 'dom.iterable'],
  exactOptionalPropertyTypes: true,
  skipLibCheck: true,
  types: [],
}
writeFileSync(join(folder, 'tsconfig.json'), JSON.stringify({ compilerOptions: options, files: ['fifty.ts'] }))
for (const compiler of ['typescript', 'typescript-5.9']) {
  const tsc = join(here, '../../../node_modules', compiler, 'bin/tsc')
  const told = execFileSync(process.execPath, [tsc, '-p', folder, '--extendedDiagnostics'], { encoding: 'utf8' })
  const instantiations = Number(/Instantiations:\s+(\d+)/.exec(told)?.[1])
  const isOver = !(instantiations <= most)
  console.log(`${compiler}\n${told}${isOver ? `OVER: ${instantiations} instantiations, at most ${most}\n` : ''}`)
  if (isOver) process.exitCode = 1
}
rmSync(folder, { recursive: true })
