/** Runs every snippet of the README and the docs: TypeScript is compiled and run, commands are run. */

import { execFileSync, spawn, spawnSync } from 'node:child_process'
import { once } from 'node:events'
import { mkdirSync, readdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath, pathToFileURL } from 'node:url'
import { afterAll, beforeAll, expect, test } from '@jest/globals'
import { transformSync } from '@swc/core'
import MarkdownIt from 'markdown-it'

const root = join(dirname(fileURLToPath(import.meta.url)), '..')
const folder = join(root, 'test/snippets')
const pages = [
  'README.md',
  'packages/yosei/README.md',
  'packages/yosei-cli/README.md',
  'packages/yosei-desk/README.md',
  'examples/observatory/README.md',
  'examples/front/README.md',
  ...readdirSync(join(root, 'docs'))
    .filter((name) => name.endsWith('.md'))
    .map((name) => `docs/${name}`),
]

interface Snippet {
  readonly name: string
  readonly language: string
  readonly code: string
}
const snippets: Snippet[] = pages.flatMap((page) =>
  new MarkdownIt('commonmark')
    .parse(readFileSync(join(root, page), 'utf8'), {})
    .flatMap(({ info, content, map }) =>
      ['ts', 'sh', 'js'].includes(info)
        ? [{ name: `${page}-${(map?.[0] ?? 0) + 1}`.replaceAll('/', '-'), language: info, code: content.trimEnd() }]
        : [],
    ),
)
/** A snippet that begins with a file's name is part of that file, whose own tests run it. */
const quoted = snippets.flatMap(({ code }) =>
  [...code.matchAll(/^\/\/ (\S+\.test\.ts)\n([\s\S]*)$/g)].map(
    ([, file, part]) => [file as string, part as string] as const,
  ),
)
/** A snippet that imports nothing goes on where the one before it ended; JavaScript is what that one prints. */
const modules: (Snippet & { readonly printed?: string })[] = []
for (const snippet of snippets.filter(
  ({ language, code }) => language !== 'sh' && !/^\/\/ \S+\.test\.ts\n/.test(code),
)) {
  const last = modules.at(-1)
  if (last && snippet.language === 'js') {
    modules[modules.length - 1] = { ...last, printed: snippet.code }
    continue
  }
  if (last && !snippet.code.startsWith('import '))
    modules[modules.length - 1] = { ...last, code: `${last.code}\n${snippet.code}` }
  else modules.push(snippet)
}
/** Each once, however many pages have it. */
const commands = [
  ...new Set(snippets.filter(({ language }) => language === 'sh').flatMap(({ code }) => code.split('\n'))),
]

/** A line `expression // → text` claims what the expression gives: a text as it is, else JSON. */
const claims = (code: string) =>
  code.replace(
    /^( *)(?!\/\/)(.+?);? +\/\/ → ?(.*)$/gm,
    (_, indent, expression, wanted) => `${indent};(globalThis as any).claim(${expression}, ${JSON.stringify(wanted)})`,
  )

beforeAll(() => {
  rmSync(folder, { recursive: true, force: true })
  mkdirSync(folder, { recursive: true })
  for (const { name, code } of modules) writeFileSync(join(folder, `${name}.ts`), `${code}\nexport {}\n`)
  const options = {
    extends: '../../tsconfig.base.json',
    compilerOptions: {
      composite: false,
      noEmit: true,
      types: ['node'],
      module: 'preserve',
      moduleResolution: 'bundler',
    },
    include: ['.'],
  }
  writeFileSync(join(folder, 'tsconfig.json'), JSON.stringify(options))
})
afterAll(() => {
  // What a command of the docs leaves is no source.
  for (const made of [folder, join(root, 'examples/observatory/intake.prepared.ts')])
    rmSync(made, { recursive: true, force: true })
})

test.each(quoted)('%s is quoted as it stands', (file, part) => {
  expect(readFileSync(join(root, file), 'utf8')).toContain(part.trim())
})

test('the tables are those of the source', () => {
  for (const script of ['docs/tables.js', 'docs/command.js'])
    execFileSync(process.execPath, [script, '--check'], { cwd: root, stdio: 'pipe' })
})

test('the snippets compile', () => {
  const { status, stdout } = spawnSync(join(root, 'node_modules/.bin/tsc'), ['-p', folder], { encoding: 'utf8' })
  expect(stdout).toBe('')
  expect(status).toBe(0)
})

test.each(modules)('$name holds', async ({ name, code, printed }) => {
  expect(claims(code).split('.claim(').length).toBe(code.split('// →').length)
  const module = join(folder, `${name}.mjs`)
  writeFileSync(
    module,
    transformSync(claims(code), {
      jsc: { target: 'es2022', parser: { syntax: 'typescript' } },
      module: { type: 'es6' },
    }).code,
  )
  const program = `globalThis.claim = (came, wanted) => { const shown = typeof came === 'string' ? came : JSON.stringify(came, (_, one) => (typeof one === 'bigint' ? one + 'n' : one)); if (shown !== wanted) throw new Error('wanted ' + wanted + ', came ' + shown) }\nawait import(${JSON.stringify(pathToFileURL(module).href)})`
  const output = execFileSync(process.execPath, ['--input-type=module', '-e', program], {
    cwd: root,
    stdio: 'pipe',
    encoding: 'utf8',
  })
  if (printed !== undefined) expect(output.trim()).toBe(printed)
})

// The two commands of the README are what starts these tests, and the demonstration has a test of its own.
test.each(commands.filter((command) => !command.startsWith('npm ')))('%s', async (command) => {
  const [npx, name, ...args] = command.split(' ')
  expect([npx, name]).toEqual(['npx', 'yosei'])
  // It stays until it is ended.
  if ((args[0] === 'desk' && !args.includes('-o')) || args[0] === 'front') {
    const staying = spawn(join(root, 'node_modules/.bin/yosei'), args, { cwd: root })
    const [printed] = await once(staying.stdout, 'data')
    staying.kill()
    expect(String(printed)).toMatch(/^(?:The desk: )?http:\/\/127\.0\.0\.1:\d+\b/)
    return
  }
  execFileSync(join(root, 'node_modules/.bin/yosei'), args, { cwd: root, stdio: 'pipe' })
})
