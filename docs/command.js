/**
 * Writes what the commands of docs/command.md print below each of them: node docs/command.js; with --check says whether
 * it is there already. What differs each time, such as how long an answer took, is left out.
 */
import { exec } from 'node:child_process'
import { readFileSync, rmSync, writeFileSync } from 'node:fs'
import { fileURLToPath } from 'node:url'
import { createJiti } from 'jiti'
import { listen } from 'yosei/node'

const root = fileURLToPath(new URL('..', import.meta.url))
const file = new URL('command.md', import.meta.url)
const observatory = `${root}examples/observatory/`
const load = (name) => createJiti(import.meta.url, { fsCache: false }).import(observatory + name, { default: true })
const [makeService, makeServices] = [await load('service.ts'), await load('services.ts')]
const { url, close } = await listen(makeService(makeServices()))

/** The intake as it was: what `compare` finds is between them. */
const before = `${observatory}before.ts`
const changes = [
  ['max: 500, default: 1 }', 'max: 900, default: 1 }'],
  ["length: [1, 12], distinct: 'filter'", 'length: [1, 12]'],
  ['digits: 7, scale: 2', 'digits: 6, scale: 2'],
  ['limit: integer({ min: 1, max: 100, default: 20 })', 'limit: integer({ min: 1, max: 100, default: 50 })'],
]
let was = readFileSync(`${observatory}intake.ts`, 'utf8')
for (const [now, then] of changes) {
  if (!was.includes(now)) throw new Error(`the intake has no ${now}`)
  was = was.replace(now, then)
}
writeFileSync(before, was)

async function run(command) {
  const line = command
    .replace('npx yosei', 'node packages/yosei-cli/bin/yosei.js')
    .replace('http://127.0.0.1:8080', url)
  const { FORCE_COLOR: _, ...env } = process.env
  const printed = await new Promise((resolve) =>
    exec(line, { cwd: root, env }, (_, stdout, stderr) => resolve(stdout + stderr)),
  )
  return printed
    .replaceAll(url, 'http://127.0.0.1:8080')
    .replace(/urn:uuid:[\w-]+/g, 'urn:uuid:…')
    .replace(/ +[\d.]+ ms/g, '  … ms')
    .replace(/^ *\n/, '')
    .trimEnd()
}

try {
  const page = readFileSync(file, 'utf8')
  const parts = page.split(/(?<=```console\n\$ .*\n)[\s\S]*?(?=```\n)/)
  let written = parts[0]
  for (const [index, part] of parts.slice(1).entries()) {
    const command = /\$ (.*)\n$/.exec(parts[index])[1]
    written += `${await run(command)}\n${part}`
  }
  if (!process.argv.includes('--check')) writeFileSync(file, written)
  else if (written !== page) {
    const [is, wanted] = [page.split('\n'), written.split('\n')]
    const at = wanted.findIndex((line, index) => line !== is[index])
    console.error(`docs/command.md:${at + 1} is not what the command prints; run node docs/command.js`)
    console.error(`- ${is[at]}\n+ ${wanted[at]}`)
    process.exitCode = 1
  }
} finally {
  rmSync(before, { force: true })
  await close()
}
