/**
 * Prints what the compiler needs for a module of 50 endpoints with 20 fields each. Exits with 1 if one compiler makes more
 * than 400,000 instantiations of types. Then the time that it takes for examples/parcels, beside the same handlers with
 * types that are written by hand; with --timed, it exits with 1 if that is more than 1.5 times as long.
 */
import { execFileSync } from 'node:child_process'
import { mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
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

/** The parcel service without the library: what its modules import of it is declared by hand. */
const parcels = join(here, '../../../examples/parcels')
const source = (name) => readFileSync(join(parcels, name), 'utf8')
function replaced(text, ...pairs) {
  for (const [what, by] of pairs) {
    if (text.search(what) < 0) throw new Error(`examples/parcels has no ${what}`)
    text = text.replace(what, by)
  }
  return text
}
const byHand = join(folder, 'by-hand')
mkdirSync(byHand)
const { extends: _, ...parcelOptions } = JSON.parse(source('tsconfig.json'))
const modules = {
  'tsconfig.json': JSON.stringify({ ...parcelOptions, extends: join(here, '../../../tsconfig.base.json') }),
  'types.ts': readFileSync(join(here, 'parcels-by-hand.ts'), 'utf8'),
  'outside.ts': /export interface Caller[\s\S]*?(?=const id = text\()/.exec(source('intake.ts'))[0],
  'service.ts': replaced(
    source('service.ts'),
    [
      /import \{ type EntityTag.*\n.*\n/,
      "import { type EntityTag, give, type Handlers, type Journal, refuse } from './types.ts'\nimport type { Parcel } from './outside.ts'\n",
    ],
    [/ {2}const app = .*\n/, ''],
    [/return serve\(\s*app,\s*\{/, 'const handlers: Handlers = {'],
    [/ {4}\},\n {4}\{ services: outside, now \},\n {2}\)/, '  }\n  return { handlers, journal, turns, now }'],
  ),
  'services.ts': replaced(source('services.ts'), [
    /import type \{ TurnStore(?:.*\n){4}/,
    "import { memoryTurns, redisTurns, type TurnStore } from './types.ts'\nimport type { Caller, Depot, Parcel, Services } from './outside.ts'\n",
  ]),
}
for (const [name, text] of Object.entries(modules)) writeFileSync(join(byHand, name), text)
const compiler = join(here, '../../../node_modules/typescript/bin/tsc')
const secondsOf = (project) => {
  const start = performance.now()
  execFileSync(process.execPath, [compiler, '-p', project], { stdio: 'inherit' })
  return (performance.now() - start) / 1000
}
const median = (values) => values.toSorted((a, b) => a - b)[values.length >> 1]
const rounds = Array.from({ length: 5 }, () => [secondsOf(parcels), secondsOf(byHand)])
const ratio = median(rounds.map(([declared, written]) => declared / written))
const shown = rounds[0].map((_, at) => `${median(rounds.map((one) => one[at])).toFixed(2)} s`)
console.log(`examples/parcels ${shown[0]}, with types by hand ${shown[1]}: ${ratio.toFixed(2)} (≤ 1.5)`)
if (process.argv.includes('--timed') && !(ratio <= 1.5)) process.exitCode = 1
rmSync(folder, { recursive: true })
