/** Runs the command as a process. */
import { spawn, spawnSync } from 'node:child_process'
import { mkdirSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs'
import { dirname, join } from 'node:path'
import { fileURLToPath } from 'node:url'

export const root = join(dirname(fileURLToPath(import.meta.url)), '../../..')
const command = join(root, 'packages/yosei-cli/bin/yosei.js')

interface Where {
  readonly cwd?: string
  readonly env?: Record<string, string>
  readonly input?: string
}
const environment = (env: Record<string, string>) => {
  const { FORCE_COLOR: _, NO_COLOR: __, ...inherited } = process.env
  return { ...inherited, ...env }
}
export function yosei(args: readonly string[], { cwd = root, env = {}, input = '' }: Where = {}) {
  const options = { cwd, env: environment(env), encoding: 'utf8', input } as const
  const { status, stdout, stderr } = spawnSync(process.execPath, [command, ...args], options)
  return { status, stdout, stderr }
}
/** The same beside what the test itself does, such as to serve. */
export async function yoseiBeside(args: readonly string[], { cwd = root, env = {} }: Where = {}) {
  const child = spawn(process.execPath, [command, ...args], { cwd, env: environment(env) })
  let [stdout, stderr] = ['', '']
  child.stdout.on('data', (chunk) => (stdout += chunk))
  child.stderr.on('data', (chunk) => (stderr += chunk))
  const status = await new Promise<number | null>((resolve) => child.on('close', resolve))
  return { status, stdout, stderr }
}
export const starting = (args: readonly string[], cwd: string) =>
  spawn(process.execPath, [command, ...args], { cwd, env: environment({}) })

/** A folder one level below the workspace, so that `yosei` resolves. */
export class Folder {
  readonly cwd = mkdtempSync(join(root, 'packages/yosei-cli/test/.tmp-'))
  constructor(files: { readonly [name: string]: string }) {
    for (const [name, content] of Object.entries(files)) this.write(name, content)
  }
  write(name: string, content: string): void {
    mkdirSync(dirname(join(this.cwd, name)), { recursive: true })
    writeFileSync(join(this.cwd, name), content)
  }
  read = (name: string): string => readFileSync(join(this.cwd, name), 'utf8')
  yosei = (args: readonly string[], where: Where = {}) => yosei(args, { cwd: this.cwd, ...where })
  remove(): void {
    rmSync(this.cwd, { recursive: true })
  }
}
/** Runs the command in a folder with these files. */
export function yoseiWith(files: { readonly [name: string]: string }, args: readonly string[], where: Where = {}) {
  const folder = new Folder(files)
  try {
    return folder.yosei(args, where)
  } finally {
    folder.remove()
  }
}

export const intake = `import { endpoint, intake, integer, list, record, text } from 'yosei'
const body = record({ 'a.b': list(record({ n: integer() }), { optional: true }), at: text({ optional: true }) })
export default intake({ endpoints: { put: endpoint('PUT /things/{id}', { path: { id: integer() }, query: { q: integer({ default: 1 }) }, header: { team: text() }, body }) } })
`
export const http = (message: string) => `\`\`\`http\n${message}\n\`\`\`\n`
export const verdict = (lines: string) => `\`\`\`verdict\n${lines}\n\`\`\`\n`
export const put = 'PUT /things/1?q=2 HTTP/1.1\nTeam: red\nContent-Type: application/json\n\n'
