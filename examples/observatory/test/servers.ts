/** Real servers from the system's packages, for tests: they end with the process. */
import { type ChildProcess, spawn, spawnSync } from 'node:child_process'
import { chownSync, existsSync, mkdtempSync, readdirSync, rmSync } from 'node:fs'
import { createServer } from 'node:net'
import { tmpdir } from 'node:os'
import { join } from 'node:path'
import { setTimeout as sleep } from 'node:timers/promises'
import { Pool } from 'pg'
import { createClient } from 'redis'

export interface Started {
  readonly url: string
  stop(): Promise<void>
}
const freePort = () =>
  new Promise<number>((resolve) => {
    const server = createServer().listen(0, '127.0.0.1', () => {
      const { port } = server.address() as { port: number }
      server.close(() => resolve(port))
    })
  })
async function untilItAnswers(what: string, ask: () => Promise<unknown>): Promise<void> {
  for (let tries = 0; ; tries++) {
    try {
      await ask()
      return
    } catch (error) {
      if (tries > 200) throw new Error(`${what} does not answer`, { cause: error })
      await sleep(50)
    }
  }
}
const ended = (child: ChildProcess) =>
  child.exitCode === null && child.signalCode === null ? new Promise((done) => child.once('exit', done)) : undefined

/** Where PostgreSQL's programs are, if it is installed. */
function binaries(): string | undefined {
  const versions = existsSync('/usr/lib/postgresql') ? readdirSync('/usr/lib/postgresql').sort().reverse() : []
  return versions
    .map((version) => `/usr/lib/postgresql/${version}/bin`)
    .find((folder) => existsSync(`${folder}/initdb`))
}
const isRoot = process.getuid?.() === 0
/** PostgreSQL does not run as root. */
const asUser = (command: string, args: readonly string[]): [string, string[]] =>
  isRoot ? ['runuser', ['-u', 'postgres', '--', command, ...args]] : [command, [...args]]

/** @returns `undefined` if it is not installed. */
export async function startPostgres(): Promise<Started | undefined> {
  const bin = binaries()
  if (!bin) return undefined
  const folder = mkdtempSync(join(tmpdir(), 'observatory-pg-'))
  if (isRoot) {
    const id = Number(spawnSync('id', ['-u', 'postgres'], { encoding: 'utf8' }).stdout)
    chownSync(folder, id, id)
  }
  const made = spawnSync(
    ...asUser(`${bin}/initdb`, ['-D', `${folder}/data`, '-U', 'observatory', '-A', 'trust', '--no-sync']),
    { encoding: 'utf8' },
  )
  if (made.status !== 0) throw new Error(made.stderr)
  const port = await freePort()
  const settings = [
    `port=${port}`,
    'listen_addresses=127.0.0.1',
    `unix_socket_directories=${folder}`,
    'fsync=off',
    'max_connections=60',
  ]
  const server = spawn(
    ...asUser(`${bin}/postgres`, ['-D', `${folder}/data`, ...settings.flatMap((one) => ['-c', one])]),
    { stdio: 'ignore' },
  )
  const url = `postgres://observatory@127.0.0.1:${port}/postgres`
  await untilItAnswers('PostgreSQL', async () => {
    const pool = new Pool({ connectionString: url, max: 1 })
    try {
      await pool.query('select 1')
    } finally {
      await pool.end()
    }
  })
  return {
    url,
    async stop() {
      spawnSync(...asUser(`${bin}/pg_ctl`, ['-D', `${folder}/data`, '-m', 'immediate', 'stop']))
      await ended(server)
      rmSync(folder, { recursive: true, force: true })
    },
  }
}

/** @returns `undefined` if it is not installed. */
export async function startRedis(): Promise<Started | undefined> {
  if (spawnSync('redis-server', ['--version']).status !== 0) return undefined
  const port = await freePort()
  const server = spawn('redis-server', ['--port', String(port), '--save', '', '--bind', '127.0.0.1'], {
    stdio: 'ignore',
    cwd: tmpdir(),
  })
  const url = `redis://127.0.0.1:${port}`
  await untilItAnswers('Redis', async () => {
    const client = createClient({ url, socket: { reconnectStrategy: false } }).on('error', () => undefined)
    await client.connect()
    await client.close()
  })
  return {
    url,
    async stop() {
      server.kill('SIGKILL')
      await ended(server)
    },
  }
}
