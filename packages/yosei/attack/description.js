/**
 * Reads the description of a very large public API, as the registry has it, and judges its own examples: each is accepted,
 * or a note says that it contradicts its own schema; and compiles what is adopted of it. Prints what reading takes, and the
 * slowest first judgements. Exits with 1 if anything is over its bound. None of its data is kept.
 */
import { execFileSync, spawnSync } from 'node:child_process'
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { judgeParts } from 'yosei'
import { adoptOpenApi, readOpenApi } from 'yosei/openapi'

/** Times of `JSON.parse`; megabytes; milliseconds of the first judgement of an endpoint. */
const bounds = { reading: 12, memory: 500, first: 5 }

const folder = mkdtempSync(join(tmpdir(), 'yosei-'))
try {
  execFileSync('npm', ['install', '--no-save', '--prefix', folder, '@octokit/openapi'], { stdio: 'pipe' })
} catch {
  console.log('NOT TESTED: the description, which could not be had here')
  rmSync(folder, { recursive: true })
  process.exit(0)
}
const text = readFileSync(join(folder, 'node_modules/@octokit/openapi/generated/api.github.com.json'), 'utf8')
rmSync(folder, { recursive: true })

const timed = (work) => {
  const start = performance.now()
  return [work(), performance.now() - start]
}
const [document, parsing] = timed(() => JSON.parse(text))
const [{ intake, notes }, reading] = timed(() => readOpenApi(document))
const memory = process.memoryUsage().rss / 1e6

/** What stands at a value, behind its reference. */
const led = (value) =>
  typeof value?.$ref === 'string'
    ? led(
        value.$ref
          .split('/')
          .slice(1)
          .reduce((at, step) => at[step.replaceAll('~1', '/').replaceAll('~0', '~')], document),
      )
    : value
const wrong = []
const slow = []
let accepted = 0
const operations = Object.values(document.paths).flatMap((item) => Object.values(item).filter((one) => one.operationId))
for (const { operationId, requestBody } of operations) {
  const endpoint = intake.endpoints[operationId]
  if (!endpoint) {
    wrong.push(`${operationId}: is left out`)
    continue
  }
  const examples = Object.entries(led(requestBody)?.content?.['application/json']?.examples ?? {})
  const judged = examples.map(([name, one]) => [name, led(one).value])
  const [, first] = timed(() => judgeParts(endpoint, { body: judged[0]?.[1] }))
  if (first > bounds.first) slow.push(`${first.toFixed(1)} ms ${operationId}`)
  for (const [name, body] of judged) {
    const verdict = judgeParts(endpoint, { body })
    const isWrong = verdict.outcome === 'rejected' && verdict.errors.some(({ part }) => part === 'body')
    if (!isWrong) accepted++
    else if (
      body !== undefined &&
      !notes.some(({ what }) => what.startsWith(`examples/${name}, which its own schema rejects`))
    )
      wrong.push(
        `${operationId}: its example ${name} is rejected, and no note says why: ${verdict.errors[0].address} ${verdict.errors[0].code}`,
      )
  }
}
const ratio = reading / parsing
console.log(
  `read in ${ratio.toFixed(1)} times of JSON.parse (≤ ${bounds.reading}), ${memory.toFixed(0)} MB (≤ ${bounds.memory})`,
)
console.log(`${operations.length} operations, ${accepted} examples accepted, ${notes.length} notes`)
console.log(`first judgements over ${bounds.first} ms: ${slow.length}`, slow.slice(0, 5))
// What is adopted of it compiles, in a folder that the package resolves from.
const made = fileURLToPath(new URL('../test/made/description/', import.meta.url))
mkdirSync(made, { recursive: true })
const compilerOptions = {
  strict: true,
  noEmit: true,
  declaration: true,
  target: 'es2022',
  module: 'nodenext',
  types: ['node'],
}
writeFileSync(`${made}tsconfig.json`, JSON.stringify({ compilerOptions, include: ['*.ts'] }))
for (const [name, source] of Object.entries(adoptOpenApi(document).modules)) writeFileSync(`${made}${name}.ts`, source)
const tsc = fileURLToPath(new URL('../../../node_modules/typescript/bin/tsc', import.meta.url))
const { status, stdout } = spawnSync(process.execPath, [tsc, '-p', made], { encoding: 'utf8' })
rmSync(made, { recursive: true })
console.log(`what is adopted of it ${status === 0 ? 'compiles' : 'does not compile'}`)
if (status !== 0) wrong.push(stdout.slice(0, 2000))
for (const one of wrong) console.log(one)
process.exitCode = wrong.length > 0 || ratio > bounds.reading || memory > bounds.memory || slow.length > 0 ? 1 : 0
