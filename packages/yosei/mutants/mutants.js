/**
 * Changes one line of the built library at a time, by a seed, and runs the suites that run the line: node mutants.js
 * [--seed 1] [--count 150] [--only rules/,engine/] [--suites decided,rules] [--workers 2]. Prints each change that no test
 * noticed, and the share of those that one did; exits with 1 if that is under 88 %. `--again LOG` tries those again that an
 * earlier run printed. Each worker has a copy of the workspace of its own, so nothing here is changed.
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
    suites: { type: 'string' },
    again: { type: 'string' },
  },
})
const root = fileURLToPath(new URL('../../../', import.meta.url))
const bound = 0.88
const only = values.only.split(',')

/** The suites that are asked, if they run the line: what serves, probes, or could take for ever, has some of its own. */
const suitesFor = (file) =>
  values.suites?.split(',') ?? [
    ...(/^probe\//.test(file)
      ? []
      : [
          'fields',
          'judge',
          'rules',
          'declare',
          'outside',
          'comparing',
          'shown',
          'limits',
          'decided',
          'engine',
          'mistakes',
        ]),
    ...(/^probe\//.test(file)
      ? []
      : [
          'value',
          'complete',
          'who',
          'words',
          'properties',
          'http',
          'client',
          'framing',
          'forms',
          'services',
          'oracle',
          'caller',
        ]),
    ...[
      'lists',
      'bodies',
      'written',
      'multipart',
      'negotiated',
      'rules-engine',
      'crossings',
      'patch',
      'reach',
      'secrets',
      'probe',
    ],
    ...(/^(adapt|answer|judge|read)\//.test(file) ? ['serve', 'turns'] : []),
    ...(/^(adapt|answer|judge|read|grammar)\/|^kinds\/(either|reading|tell-apart)/.test(file) ? ['attack'] : []),
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
  swap(/(?<![\w.'"$]|\bvoid )\d+(?![\w.'"])/g, (number) => String(Number(number) + 1)),
  swap(/(?<=\? )([^:?]+) : ([^:?;,)]+)/g, (_, a, b) => `${b} : ${a}`),
  // A statement that is left out.
  swap(
    /^\s+(?!return|const|let|case|break|continue|throw|else|if|for|while|import|export|\}|\/)[\w$.#]+(?:\(| = |\+\+|--| \+= | \?\?= ).*;$/g,
    '',
  ),
  swap(/^\s+return (?!true;|false;|void 0;|0;|null;)[^;]+;$/g, '        return undefined;'),
]

const dist = 'packages/yosei/dist'
/** A search for requests finds another way where one of its lines is spoiled: it is looked at where it is asked for. */
const passedBy = values.only === '' ? /^(?:words\/german|probe\/)/ : /^words\/german/
const chunks = readdirSync(join(root, dist), { recursive: true, encoding: 'utf8' }).filter(
  (file) => file.endsWith('.js') && file !== 'internals.js',
)
const textOf = (chunk) => readFileSync(join(root, dist, chunk), 'utf8').split('\n')
/** Each line that is looked at, with the module that it comes from: the bundler writes its name before its lines. */
const lines = chunks.flatMap((chunk) => {
  let file = ''
  return textOf(chunk).flatMap((text, index) => {
    const [, next] = /^\/\/ src\/(\S+\.ts)$/.exec(text) ?? []
    file = next ?? file
    const isPassedBy = file === '' || passedBy.test(file) || !only.some((start) => file.startsWith(start))
    return isPassedBy || /^\s*(\/\/|\*|\/\*|import|export )/.test(text) ? [] : [{ file, chunk, index, text }]
  })
})

/** Lines whose changes cannot be seen: they make something faster, or are never read. */
const unseen = [
  /\b(?:known|copies|fixed|kept|reads|paths|variants|templates|found)\??\.set\(\w+, \w+\)/, // What was worked out is worked out again.
  /\.size <=? (?:\d|most)/, // One more or less in what is kept to spare work.
  /options: \{/, // The values of a table of options are never read.
  /^const (?:plainEmail|atext|iprivate) = /, // A quick way before the whole one; ranges written in another way.
  /\b(?:most[A-Z]\w*|grain|deepest) = \d|sleep\(/, // One more of what is bounded, or of milliseconds.
  /\bdepth (?:=== 0|- 1)|deepest \* \d/, // A level more or less where a bound only keeps from going on for ever.
  /^(?:tests?\.push|test:|: \{ test:)|emptyIsAbsent =|countsHere =/, // What made code does not take at once the interpreter looks at.
  /^h1\{|^body\{/, // How a page looks.
  /looked = now/, // When the clock is looked at again.
  /codePoints\(/, // Lengths in code units that spare the count of code points.
  /clearInterval\(|clearTimeout\(/, // A timer that finds nothing to do any more.
  /return function holds\(/, // A test that code does without reads the value instead.
  /(?:most < Number\.POSITIVE|least > 0 \?)/, // A test that always holds.
  /areAlike \? value\.map\(sameBelow/, // All elements of a list have one declaration.
  /firstEach\(\w+(?:, [^)]+)?\) < 0|^if \(at < 0\) return \[path\]/, // A path begins with its part, which is a name.
  /^if \(each < 0\) return \[\];|^const differs = best/, // The same; and what is compared with nothing comes first in any case.
  /Number\(place\.at\(-1\)\) < list\.length/, // Only elements that are there are asked for.
  /firstEach\(at\(\w+\)\) < 0/, // A path begins with its part, which is a name.
  /barred\.push\(false\)|areTexts =|return prototype === Object\.prototype/, // A quick way that is not taken: the slow one says the same.
  /^if \(!list \|\| inside|loops\.length === 0 \? |field\.(?:rules\?\.)?length \?\?|\?\? 0\) > 0\) return void 0/, // Code that asks the interpreter instead.
  /\$\{distance\} [<>]= \$\{literal/, // What made code does not take at once the interpreter looks at.
  /each < 0 \|\| path\[each\] !== -1/, // What is no element of a list is looked at as a value; the kind of its holder is asked, too.
  /spans\.sort\(\(\[a\]/, // Of two equal spans either may come first.
  /nameTold\(run, name\), value, run, false\)/, // What may be anything has no quick way.
  /const isGap =/, // Only the words differ.
  /^(?:judgesKnown|derives): false/, // Of rules that read no lists, or make nothing.
  /tests\.join\(" \|\| "\) \|\| "false"/, // There is always one to compare with.
  /checkOrder\(/, // Two bounds that are the same in another spelling are in order.
]

/** One change that is still JavaScript. */
function mutant() {
  for (;;) {
    const { file, chunk, index, text } = pick(lines)
    const [from, to] = pick(operators)
    const places = [...text.matchAll(from)]
    if (places.length === 0) continue
    const place = pick(places)
    const changed =
      text.slice(0, place.index) +
      place[0].replace(new RegExp(from.source), to) +
      text.slice(place.index + place[0].length)
    if (changed.trim() === text.trim() || unseen.some((line) => line.test(text.trim()))) continue
    const whole = textOf(chunk)
    whole[index] = changed
    const source = whole.join('\n')
    const offset = [...whole.slice(0, index), ''].join('\n').length + place.index
    const { status } = spawnSync(process.execPath, ['--check', '--input-type=module', '-'], { input: source })
    if (status === 0) return { file, chunk, index, offset, text: text.trim(), changed: changed.trim(), source }
  }
}

/** The changes that an earlier run said were not noticed, if their lines are still there. */
function survivorsOf(log) {
  const told = /survived(?: \(no test runs it\))?: (\S+):(\d+)\n {2}- (.*)\n {2}\+ (.*)/g
  return [...log.matchAll(told)].flatMap(([, file, line, text, changed]) => {
    const [found] = lines
      .filter((one) => one.file === file && one.text.trim() === text)
      .sort((a, b) => Math.abs(a.index + 1 - line) - Math.abs(b.index + 1 - line))
    if (!found) {
      console.log(`gone: ${file}:${line}\n  - ${text}`)
      return []
    }
    const { chunk, index } = found
    const whole = textOf(chunk)
    const offset = [...whole.slice(0, index), ''].join('\n').length + whole[index].indexOf(text)
    whole[index] = whole[index].replace(text, () => changed)
    return [{ file, chunk, index, offset, text, changed, source: whole.join('\n') }]
  })
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

const jest = [
  '--experimental-vm-modules',
  '--disable-warning=ExperimentalWarning',
  join(root, 'node_modules/jest/bin/jest.js'),
]
/** Runs suites one after the other, in this order, until one fails; what hangs fails too. */
const runTests = (folder, names, milliseconds, env = {}) =>
  new Promise((resolve) => {
    const tests = names.map((name) => `packages/yosei/test/${name}.test`)
    const order = ['--bail', '--runInBand', `--testSequencer=${join(folder, 'in-order.cjs')}`]
    const child = spawn(process.execPath, [...jest, ...order, '--forceExit', '--testTimeout=30000', ...tests], {
      cwd: folder,
      stdio: 'ignore',
      detached: true,
      env: {
        ...process.env,
        PROPERTY_RUNS: '60',
        ENGINE_RUNS: '200',
        ORACLE_RUNS: '150',
        SUITES: names.join(),
        ...env,
      },
    })
    const timer = setTimeout(() => process.kill(-child.pid, 'SIGKILL'), milliseconds)
    child.on('exit', (code) => {
      clearTimeout(timer)
      resolve(code === 0)
    })
  })
const inOrder = `const Sequencer = require('@jest/test-sequencer').default
const names = process.env.SUITES.split(',')
const place = ({ path }) => names.findIndex((name) => path.endsWith('/' + name + '.test.ts'))
module.exports = class extends Sequencer {
  sort(tests) { return [...tests].sort((a, b) => place(a) - place(b)) }
}
`

/** For each suite how long it takes, and which places of each file it runs. */
async function coverage(folders) {
  const names = [...new Set(lines.flatMap(({ file }) => suitesFor(file)))]
  const found = new Map()
  const measure = async (folder) => {
    for (let name = names.pop(); name; name = names.pop()) {
      const told = mkdtempSync(join(tmpdir(), 'covered-'))
      const start = performance.now()
      const passes = await runTests(folder, [name], 300_000, { NODE_V8_COVERAGE: told })
      if (!passes) throw new Error(`${name} fails as it is`)
      found.set(name, { milliseconds: performance.now() - start, run: placesRun(told) })
      rmSync(told, { recursive: true })
    }
  }
  await Promise.all(folders.map(measure))
  return found
}

/** The characters of each file that were run, as the engine tells it (one per function and block, from outer to inner). */
function placesRun(folder) {
  const run = new Map()
  for (const name of readdirSync(folder))
    for (const { url, functions } of JSON.parse(readFileSync(join(folder, name), 'utf8')).result) {
      const at = url.indexOf(`/${dist}/`)
      if (at < 0) continue
      const file = url.slice(at + dist.length + 2).replace(/\?.*$/, '')
      const ranges = functions.flatMap((one) => one.ranges)
      const places = new Uint8Array(Math.max(...ranges.map(({ endOffset }) => endOffset)))
      for (const { startOffset, endOffset, count } of ranges.sort(
        (a, b) => a.startOffset - b.startOffset || b.endOffset - a.endOffset,
      ))
        places.fill(count > 0 ? 1 : 0, startOffset, endOffset)
      const before = run.get(file)
      run.set(file, before ? places.map((one, index) => one | (before[index] ?? 0)) : places)
    }
  return run
}

const all = values.again
  ? survivorsOf(readFileSync(values.again, 'utf8'))
  : Array.from({ length: Number(values.count) }, mutant)
const count = all.length
const folders = Array.from({ length: Number(values.workers) }, copyWorkspace)
for (const folder of folders) writeFileSync(join(folder, 'in-order.cjs'), inOrder)
const suites = await coverage(folders)
/** The suites that run the changed place, in turns of some seconds: the fastest first, since most changes are noticed there. */
function turnsFor({ file, chunk, offset }) {
  const affected = suitesFor(file)
    .filter((name) => suites.get(name).run.get(chunk)?.[offset])
    .sort((a, b) => suites.get(a).milliseconds - suites.get(b).milliseconds)
  const turns = []
  for (const name of affected) {
    const { milliseconds } = suites.get(name)
    const turn = turns.at(-1)
    if (turn && turn.milliseconds + milliseconds < 25_000) {
      turn.names.push(name)
      turn.milliseconds += milliseconds
    } else turns.push({ names: [name], milliseconds })
  }
  return turns
}
const survivors = []
let done = 0
async function work(folder) {
  for (let one = all.pop(); one; one = all.pop()) {
    const path = join(folder, dist, one.chunk)
    const sound = readFileSync(path, 'utf8')
    writeFileSync(path, one.source)
    const turns = turnsFor(one)
    let passes = true
    for (const { names, milliseconds } of turns) {
      passes = await runTests(folder, names, 30_000 + 6 * milliseconds)
      if (!passes) break
    }
    writeFileSync(path, sound)
    done++
    if (done % 10 === 0) console.error(`${done}/${count}, ${survivors.length} survived`)
    if (!passes) continue
    survivors.push(one)
    const by = turns.length === 0 ? ' (no test runs it)' : ''
    console.log(`${done}/${count} survived${by}: ${one.file}:${one.index + 1}\n  - ${one.text}\n  + ${one.changed}`)
  }
  rmSync(folder, { recursive: true, force: true })
}
await Promise.all(folders.map(work))
const caught = (count - survivors.length) / count
console.log(`seed ${values.seed}: ${count - survivors.length} of ${count} noticed (${(100 * caught).toFixed(1)} %)`)
process.exitCode = caught >= bound ? 0 : 1
