/**
 * Changes one line of the built library at a time, by a seed, and runs the tests: node mutants.js [--seed 1] [--count
 * 150] [--only judge/]. Prints each change that no test noticed, and the share of those that one did; exits with 1 where that is under
 * 85 %. Each worker has a copy of the workspace of its own, so nothing here is changed.
 */
import { spawn, spawnSync } from 'node:child_process'
import { cpSync, mkdirSync, mkdtempSync, readdirSync, readFileSync, rmSync, symlinkSync, writeFileSync } from 'node:fs'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { parseArgs } from 'node:util'

const { values } = parseArgs({
  options: {
    seed: { type: 'string', default: '1' },
    count: { type: 'string', default: '150' },
    workers: { type: 'string', default: '2' },
    only: { type: 'string', default: '' },
  },
})
const root = fileURLToPath(new URL('../../../', import.meta.url))
const bound = 0.85

/** The fastest first: most changes are noticed there. What serves has suites of its own. */
const stagesFor = (file) => [
  // Nothing else looks at probes.
  ...(/^probe\//.test(file)
    ? [['probe']]
    : [
        ['fields', 'judge', 'rules', 'declare', 'outside', 'noticed', 'engine', 'mistakes', 'who', 'words'],
        ['properties', 'http'],
      ]),
  ['lists', 'bodies', 'rules-engine', 'crossings', 'patch', 'reach', 'secrets', 'probe'],
  ...(/^(adapt|answer|judge|read)\//.test(file) ? [['serve', 'turns', 'attack']] : []),
]

/** mulberry32. */
let state = Number(values.seed)
function random() {
  state = (state + 0x6d2b79f5) | 0
  let mixed = Math.imul(state ^ (state >>> 15), 1 | state)
  mixed = (mixed + Math.imul(mixed ^ (mixed >>> 7), 61 | mixed)) ^ mixed
  return ((mixed ^ (mixed >>> 14)) >>> 0) / 4294967296
}
const pick = (list) => list[Math.floor(random() * list.length)]

const swap = (from, to) => [from, to]
const operators = [
  swap(/ === /g, ' !== '),
  swap(/ !== /g, ' === '),
  swap(/ < /g, ' <= '),
  swap(/ <= /g, ' < '),
  swap(/ > /g, ' >= '),
  swap(/ >= /g, ' > '),
  swap(/ && /g, ' || '),
  swap(/ \|\| /g, ' && '),
  swap(/ \?\? /g, ' && '),
  swap(/ \+ /g, ' - '),
  swap(/ - /g, ' + '),
  swap(/\btrue\b/g, 'false'),
  swap(/\bfalse\b/g, 'true'),
  swap(/(?<=[( ])!(?=[a-zA-Z(])/g, ''),
  swap(/(?<![\w.'"])\d+(?![\w.'"])/g, (number) => String(Number(number) + 1)),
  swap(/(?<=\? )([^:?]+) : ([^:?;,)]+)/g, (_, a, b) => `${b} : ${a}`),
  // A statement that is left out.
  swap(
    /^\s+(?!return|const|let|case|break|continue|throw|else|if|for|while|import|export|\}|\/)[\w$.#]+(?:\(| = |\+\+|--| \+= | \?\?= ).*;$/g,
    '',
  ),
  swap(/^\s+return (?!true;|false;|undefined;|0;|null;)[^;]+;$/g, '        return undefined;'),
]

const dist = 'packages/yosei/dist'
/** A search for requests finds another way where one of its lines is spoiled: it is looked at where it is asked for. */
const passedBy = values.only === '' ? /^(?:words\/german|probe\/)/ : /^words\/german/
const files = readdirSync(join(root, dist), { recursive: true, encoding: 'utf8' }).filter(
  (file) => file.endsWith('.js') && !passedBy.test(file) && file.startsWith(values.only),
)
const lines = files.flatMap((file) =>
  readFileSync(join(root, dist, file), 'utf8')
    .split('\n')
    .flatMap((text, index) =>
      /^\s*(\/\/|\*|\/\*|import|export \{|export \*)/.test(text) ? [] : [{ file, index, text }],
    ),
)

/** Lines whose changes nobody can see: they make something faster, or are never read. */
const unseen = [
  /\bknown\.set\(|\bcopies\.set\(|\bfixed\.set\(/, // What was worked out is worked out again.
  /options: \{/, // The values of a table of options are never read.
  /^const (?:plainEmail|atext|iprivate) = /, // A quick way before the whole one; ranges written in another way.
  /\bmost[A-Z]\w* = \d|sleep\(\d/, // One more of what is bounded, or of milliseconds.
  /^(?:tests?\.push|test:|: \{ test:)|emptyIsAbsent =|countsHere =/, // What made code does not take at once the interpreter looks at.
  /^h1\{|^body\{/, // How a page looks.
  /looked = now/, // When the clock is looked at again.
  /codePoints\(/, // Lengths in code units that spare the count of code points.
  /clearInterval\(|clearTimeout\(/, // A timer that finds nothing to do any more.
  /checkOrder\(/, // Two bounds that are the same in another spelling are in order.
]

/** One change that is still JavaScript. */
function mutant() {
  for (;;) {
    const { file, index, text } = pick(lines)
    const [from, to] = pick(operators)
    const places = [...text.matchAll(from)]
    if (places.length === 0) continue
    const place = pick(places)
    const changed =
      text.slice(0, place.index) +
      place[0].replace(new RegExp(from.source), to) +
      text.slice(place.index + place[0].length)
    if (changed.trim() === text.trim() || unseen.some((line) => line.test(text.trim()))) continue
    const whole = readFileSync(join(root, dist, file), 'utf8').split('\n')
    whole[index] = changed
    const source = whole.join('\n')
    const { status } = spawnSync(process.execPath, ['--check', '--input-type=module', '-'], { input: source })
    if (status === 0) return { file, index, text: text.trim(), changed: changed.trim(), source }
  }
}

/** A copy of the workspace whose packages are its own. */
function copyWorkspace() {
  const folder = mkdtempSync(join(tmpdir(), 'mutants-'))
  for (const name of [
    'packages',
    'examples',
    'test',
    'docs',
    'jest.config.js',
    'package.json',
    'tsconfig.base.json',
    'README.md',
  ])
    cpSync(join(root, name), join(folder, name), { recursive: true, filter: (path) => !path.includes('node_modules') })
  mkdirSync(join(folder, 'node_modules'))
  for (const name of readdirSync(join(root, 'node_modules'))) {
    const own = { yosei: 'packages/yosei', 'yosei-cli': 'packages/yosei-cli' }[name]
    symlinkSync(own ? join(folder, own) : join(root, 'node_modules', name), join(folder, 'node_modules', name))
  }
  for (const name of readdirSync(join(root, 'packages')))
    try {
      symlinkSync(join(root, 'packages', name, 'node_modules'), join(folder, 'packages', name, 'node_modules'))
    } catch {
      // It has none of its own.
    }
  return folder
}

const runTests = (folder, names) =>
  new Promise((resolve) => {
    const tests = names.map((name) => `packages/yosei/test/${name}.test`)
    const jest = [
      '--experimental-vm-modules',
      '--disable-warning=ExperimentalWarning',
      join(root, 'node_modules/jest/bin/jest.js'),
    ]
    const child = spawn(
      process.execPath,
      [...jest, '--bail', '--runInBand', '--forceExit', '--testTimeout=30000', ...tests],
      {
        cwd: folder,
        stdio: 'ignore',
        detached: true,
        env: { ...process.env, PROPERTY_RUNS: '60', ENGINE_RUNS: '200' },
      },
    )
    // What hangs is noticed too.
    const timer = setTimeout(() => process.kill(-child.pid, 'SIGKILL'), 150_000)
    child.on('exit', (code) => {
      clearTimeout(timer)
      resolve(code === 0)
    })
  })

const count = Number(values.count)
const all = Array.from({ length: count }, mutant)
const survivors = []
let done = 0
async function work() {
  const folder = copyWorkspace()
  for (let one = all.pop(); one; one = all.pop()) {
    const path = join(folder, dist, one.file)
    const sound = readFileSync(path, 'utf8')
    writeFileSync(path, one.source)
    let passes = true
    for (const stage of stagesFor(one.file)) {
      passes = await runTests(folder, stage)
      if (!passes) break
    }
    writeFileSync(path, sound)
    done++
    if (done % 10 === 0) console.error(`${done}/${count}, ${survivors.length} survived`)
    if (!passes) continue
    survivors.push(one)
    console.log(`${done}/${count} survived: ${one.file}:${one.index + 1}\n  - ${one.text}\n  + ${one.changed}`)
  }
  rmSync(folder, { recursive: true, force: true })
}
await Promise.all(Array.from({ length: Number(values.workers) }, work))
const caught = (count - survivors.length) / count
console.log(`seed ${values.seed}: ${count - survivors.length} of ${count} noticed (${(100 * caught).toFixed(1)} %)`)
process.exitCode = caught >= bound ? 0 : 1
