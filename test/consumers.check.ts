/** The packages as they are shipped, in the projects of those who install them: every module system, compiler and layout. */
import { spawnSync } from 'node:child_process'
import {
  existsSync,
  mkdirSync,
  mkdtempSync,
  readdirSync,
  readFileSync,
  rmSync,
  symlinkSync,
  writeFileSync,
} from 'node:fs'
import { tmpdir } from 'node:os'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'
import { afterAll, beforeAll, expect, test } from '@jest/globals'
import ts from 'typescript-5.9'

const root = join(dirname(fileURLToPath(import.meta.url)), '..')
const project = mkdtempSync(join(tmpdir(), 'consumer-'))
const run = (command: string, args: readonly string[], cwd = project) => {
  const env = Object.fromEntries(Object.entries(process.env).filter(([name]) => name !== 'NODE_OPTIONS'))
  const { status, stdout, stderr } = spawnSync(command, args, { cwd, encoding: 'utf8', env })
  return { status, said: `${stdout}${stderr}` }
}
const node = (...args: string[]) => run(process.execPath, ['--disable-warning=ExperimentalWarning', ...args])
const files = (all: { readonly [name: string]: string | object }) => {
  for (const [name, content] of Object.entries(all)) {
    mkdirSync(dirname(join(project, name)), { recursive: true })
    writeFileSync(join(project, name), typeof content === 'string' ? content : JSON.stringify(content))
  }
}

/** Packed, and laid out as by a package manager that keeps each package away from those that it does not name. */
beforeAll(() => {
  mkdirSync(join(project, 'node_modules/.store'), { recursive: true })
  for (const name of ['yosei', 'yosei-desk', 'yosei-cli']) {
    const home = join(project, 'node_modules/.store', name, 'node_modules')
    mkdirSync(home, { recursive: true })
    const { status, said } = run('npm', ['pack', '--pack-destination', home], join(root, 'packages', name))
    if (status !== 0) throw new Error(said)
    const tarball = readdirSync(home).find((file) => file.endsWith('.tgz')) as string
    run('tar', ['xzf', tarball], home)
    run('mv', ['package', name], home)
    symlinkSync(join(home, name), join(project, 'node_modules', name))
  }
  for (const name of ['yosei-desk', 'yosei-cli']) {
    const home = join(project, 'node_modules/.store', name, 'node_modules')
    for (const own of name === 'yosei-cli' ? ['yosei', 'yosei-desk'] : ['yosei'])
      symlinkSync(join(project, 'node_modules', own), join(home, own))
    for (const other of readdirSync(join(root, 'node_modules')))
      if (!other.startsWith('.') && !other.startsWith('yosei') && other !== 'pino' && other !== 'busboy')
        symlinkSync(join(root, 'node_modules', other), join(home, other))
  }
  for (const name of ['@types', '@jest', 'undici-types'])
    symlinkSync(join(root, 'node_modules', name), join(project, 'node_modules', name))
})
afterAll(() => rmSync(project, { recursive: true }))

const service = `
const showNight = endpoint('GET /nights/{night}', { path: { night: integer({ max: 365 }) } })
const app = intake({ endpoints: { showNight } })
const handle = serve(app, { showNight: ({ path }) => ({ night: path.night }) })
const told = async (night) => JSON.stringify(await (await handle(new Request('http://kr.example/nights/' + night))).json())
told('x').then(async (first) => console.log(first.includes('path.night must be a whole number'), await told('7')))
`
const names = '{ endpoint, intake, integer, serve }'
test('ESM', () => {
  files({ 'main.mjs': `import ${names} from 'yosei'\nimport { listenerOf } from 'yosei/node'\nlistenerOf${service}` })
  expect(node('main.mjs')).toEqual({ status: 0, said: 'true {"night":7}\n' })
})
test('CommonJS, where Node takes it', () => {
  const [major = 0, minor = 0] = process.versions.node.split('.').map(Number)
  const can = major > 22 || (major === 22 && minor >= 12) || (major === 20 && minor >= 19)
  files({ 'main.cjs': `const ${names} = require('yosei')\nrequire('yosei/node')${service}` })
  expect(node('main.cjs').said).toContain(can ? 'true {"night":7}' : 'ERR_REQUIRE_ESM')
})

const module = `import { choice, either, endpoint, group, intake, integer, list, record, serve, tagged, text, allOptional, later, readAs, type Field } from 'yosei'
import { gate, listen } from 'yosei/node'
import { probesOf } from 'yosei/probe'
export const slug = text({ pattern: /^[a-z]+$/, optional: true })
export const night = record({ on: text({ format: 'date' }), team: slug }, { rules: (on) => [on.fill('team', ['on'], (day) => day)] })
export const either_ = either([night, tagged('of', { one: night, two: record({ n: integer({ default: 1 }) }) })], { optional: true })
export const change = allOptional(night)
export const link = readAs(text(), (value) => new URL(value), { code: 'bad_link' })
interface Tree { name: string; parts?: Tree[] }
export const tree: Field<Tree> = record({ name: text(), parts: list(later(() => tree), { optional: true }) })
interface Services { db: Map<string, number> }
export const book = endpoint('POST /{id}', {
  path: { id: text() },
  body: night,
  who: record({ role: choice(['clerk', 'guest']) }),
  may: (on) => on.is('who.role', 'clerk'),
  lookups: (on) => ({ one: on.lookup({ reads: ['path.id'], ask: ({ db }: Services, [id]) => db.get(id) }) }),
})
export const grouped = group({ prefix: '/v1/{team}', path: { team: text() } }, { book })
export const app = intake({ endpoints: grouped, identify: () => ({ role: 'clerk' as const }) })
export const handle = serve(app, { book: ({ body }, { found, who }) => [body.team.length, found.one + 1, who.role] }, { services: { db: new Map() } })
export const through = gate(app, { services: { db: new Map<string, number>() } })
export const listening = () => listen(handle)
export const probed = () => [...probesOf(app)].filter(({ outcome }) => outcome !== 'unprobed')
export default app
`
const use = (from: string) => `import app, { book } from '${from}'
import { type Accepted, judge } from 'yosei'
export const read = async (input: Accepted<typeof book>): Promise<string> => ((await judge(app, 'GET / HTTP/1.1')).outcome, input.body.team)
`
const strict = {
  strict: true,
  exactOptionalPropertyTypes: true,
  skipLibCheck: false,
  target: 'es2022',
  lib: ['es2023', 'dom', 'dom.iterable'],
  types: ['node'],
}
const compilers = ['typescript', 'typescript-5.9'].map((name) => join(root, 'node_modules', name, 'bin/tsc'))
const systems: { readonly [name: string]: [options: object, main: string, user: string] } = {
  'node16, ESM': [{ module: 'node16', moduleResolution: 'node16' }, 'main.mts', './main.mjs'],
  'nodenext, ESM': [{ module: 'nodenext' }, 'main.mts', './main.mjs'],
  'nodenext, CommonJS': [{ module: 'nodenext' }, 'main.cts', './main.cjs'],
  bundler: [{ module: 'preserve', moduleResolution: 'bundler' }, 'main.ts', './main.js'],
}
test.each(Object.entries(systems))('declaration files of what is declared, with %s', (name, [options, main, from]) => {
  const folder = name.replaceAll(/\W+/g, '-')
  const user = main.replace('main', 'user')
  files({
    // What is declared is a project that others refer to.
    [`${folder}/declared/${main}`]: module,
    [`${folder}/declared/tsconfig.json`]: {
      compilerOptions: { ...strict, ...options, composite: true, declaration: true, outDir: '../made', rootDir: '.' },
      include: ['.'],
    },
    [`${folder}/users/${user}`]: use(from.replace('./', '../made/')),
    [`${folder}/users/tsconfig.json`]: {
      compilerOptions: { ...strict, ...options, noEmit: true },
      include: ['.'],
      references: [{ path: '../declared' }],
    },
  })
  // The older compiler takes long, and reads the same files whatever the system.
  for (const compiler of name === 'bundler' ? compilers : compilers.slice(0, 1)) {
    for (const part of ['declared', 'users'])
      expect([part, node(compiler, '-p', join(folder, part))]).toEqual([part, { status: 0, said: '' }])
    rmSync(join(project, folder, 'made'), { recursive: true })
    rmSync(join(project, folder, 'declared/tsconfig.tsbuildinfo'), { force: true })
  }
})

test('an editor names the address that is wrong, and offers those that are right', () => {
  const source = `import { day, endpoint, integer, record } from 'yosei'
export const x = endpoint('POST /x', {
  body: record({ low: integer(), high: integer(), on: day() }),
  rules: (on) => [on.ascending('body.low', 'body.hihg'), on.check({ reads: ['body.on'], blames: ['body.no'], code: 'x', holds: () => true })],
})
`
  files({ 'editor/main.mts': source })
  const main = join(project, 'editor/main.mts')
  const service = ts.createLanguageService({
    ...ts.sys,
    getCompilationSettings: () => ({
      strict: true,
      module: ts.ModuleKind.NodeNext,
      target: ts.ScriptTarget.ES2022,
      types: [],
      skipLibCheck: true,
    }),
    getScriptFileNames: () => [main],
    getScriptVersion: () => '1',
    getScriptSnapshot: (file) =>
      ts.sys.fileExists(file) ? ts.ScriptSnapshot.fromString(ts.sys.readFile(file) ?? '') : undefined,
    getCurrentDirectory: () => project,
    getDefaultLibFileName: ts.getDefaultLibFilePath,
    useCaseSensitiveFileNames: () => true,
  })
  const told = service
    .getSemanticDiagnostics(main)
    .map(({ messageText }) => ts.flattenDiagnosticMessageText(messageText, ' '))
  expect(told).toHaveLength(2)
  expect(told[0]).toMatch(
    /"body.hihg"' is not assignable to parameter of type '"body.high" \| "body.low"'|"body.hihg"' is not assignable/,
  )
  expect(told[0]).not.toContain('never')
  expect(told[1]).toContain('body.no')
  const offered = (what: string) =>
    service.getCompletionsAtPosition(main, source.indexOf(what) + 5, {})?.entries.map(({ name }) => name)
  expect(offered('body.hihg')).toEqual(expect.arrayContaining(['body.high']))
  expect(offered('body.hihg')).not.toContain('body.on')
  expect(offered('body.no')).toEqual(expect.arrayContaining(['body.on']))
})

test('Jest without flags, where what is ESM is transformed', () => {
  files({
    'jest/jest.config.json': {
      testEnvironment: 'node',
      transform: {
        '\\.[jt]s$': [
          join(root, 'node_modules/@swc/jest/index.js'),
          { jsc: { target: 'es2022', parser: { syntax: 'typescript' } }, module: { type: 'commonjs' } },
        ],
      },
      transformIgnorePatterns: ['/node_modules/(?!(.store/)?yosei)'],
    },
    'jest/night.test.ts': `import ${names} from 'yosei'\nimport { listen } from 'yosei/node'
test('is served', async () => {
  const app = intake({ endpoints: { showNight: endpoint('GET /nights/{night}', { path: { night: integer() } }) } })
  const { url, close } = await listen(serve(app, { showNight: ({ path }) => path.night }))
  expect(await (await fetch(url + '/nights/7')).json()).toBe(7)
  await close()
})`,
  })
  const { status, said } = run(process.execPath, [join(root, 'node_modules/jest/bin/jest.js')], join(project, 'jest'))
  expect(said).toContain('1 passed')
  expect(status).toBe(0)
})

test('what is not installed is said where it is needed, and not where it is not', () => {
  files({
    'absent.mjs': `import { endpoint, file, intake, record, serve } from 'yosei'
import { listen } from 'yosei/node'
import { loggerJournal, ndjsonJournal } from 'yosei/journal'
const plates = endpoint('POST /', { body: { 'multipart/form-data': record({ plate: file() }) } })
const lines = []
const app = intake({ endpoints: { plates }, journal: loggerJournal({ info: (line) => lines.push(line), error: (line) => lines.push(line) }) })
const handle = serve(app, { plates: () => 1 })
console.log((await handle(new Request('http://kr.example/x'))).status, lines.length)
await listen(handle).catch(({ message }) => console.log(message))
try { ndjsonJournal() } catch ({ message }) { console.log(message) }`,
  })
  expect(node('absent.mjs')).toEqual({
    status: 0,
    said: `404 1
A body of 'multipart/form-data' is declared: it needs the package busboy (npm install busboy)
ndjsonJournal writes through pino: it needs that package (npm install pino)
`,
  })
})

/** A page without its code, in which brackets are no links. */
const proseOf = (file: string) => readFileSync(file, 'utf8').replace(/`[^`\n]*`/g, '')

test('what a package says links to nothing that is not shipped', () => {
  const lost: string[] = []
  for (const name of ['yosei', 'yosei-desk', 'yosei-cli']) {
    const home = join(project, 'node_modules', name)
    const pages = readdirSync(home, { recursive: true, encoding: 'utf8' }).filter(
      (file) => file.endsWith('.md') && !file.includes('node_modules'),
    )
    for (const page of pages)
      for (const [, link = ''] of proseOf(join(home, page)).matchAll(/\]\(([^)#\s]+)[^)]*\)/g))
        if (!/^https?:/.test(link) && !existsSync(join(home, dirname(page), link)))
          lost.push(`${name}/${page}: ${link}`)
  }
  expect(lost).toEqual([])
  expect(readdirSync(join(project, 'node_modules/yosei/docs'))).toContain('fields.md')
})

test('the command says its version, and each package how it is installed', () => {
  expect(run(process.execPath, ['node_modules/yosei-cli/bin/yosei.js', '--version'])).toEqual({
    status: 0,
    said: '0.1.0\n',
  })
  files({
    'intake.mjs': `import { endpoint, intake, integer } from 'yosei'\nexport default intake({ endpoints: { night: endpoint('GET /{n}', { path: { n: integer({ max: 9 }) } }) } })`,
  })
  const built = run(process.execPath, ['node_modules/yosei-cli/bin/yosei.js', 'desk', 'intake.mjs', '-o', 'desk'])
  expect(built).toEqual({ status: 0, said: 'The desk is in desk; any server of files can serve it.\n' })
  expect(readdirSync(join(project, 'desk/assets'))).toContain('bench.js')
  expect(run(process.execPath, ['node_modules/yosei-cli/bin/yosei.js', 'probe', 'intake.mjs']).said).toContain(
    'all as they must be; 0 not probed',
  )
  for (const name of ['yosei', 'yosei-desk', 'yosei-cli'])
    expect(readdirSync(join(project, 'node_modules', name))).toEqual(
      expect.arrayContaining(['README.md', 'LICENSE', 'package.json']),
    )
})
