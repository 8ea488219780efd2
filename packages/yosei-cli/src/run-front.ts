/** The command `front`: judges requests before a server, and sends on what is accepted. */
import { createServer, type Server } from 'node:http'
import type { AddressInfo } from 'node:net'
import type { Intake } from 'yosei'
import { ndjsonJournal } from 'yosei/journal'
import { type Front, type FrontOptions, front, type Listening, listen } from 'yosei/node'
import { Failure } from './failure.js'
import { loadIntake, servicesOf } from './load.js'
import { pc, print } from './terminal.js'

export interface FrontCommand {
  readonly to: string
  readonly port: number
  readonly host: string
  readonly observe?: boolean | FrontOptions['observe']
  readonly unmatched: 'answer' | 'next'
  readonly services?: string | undefined
  readonly journal?: string
  readonly healthPort?: number
  readonly backendHost?: boolean
  readonly xForwarded?: boolean
}

/** How long requests that are under way may take once the command is to end, in milliseconds. */
const longestDrain = 30_000
/** So many fields that the backend does not see are printed. */
const mostPrinted = 12

/** Starts the front, and stays until a signal ends it. */
export async function runFront(file: string, command: FrontCommand): Promise<void> {
  const load = (isFresh: boolean) => loadIntake(file, { isFresh, refusesUnlisted: true })
  const makeServices = await servicesOf(file, command.services)
  const made = await started(await load(false), command, await makeServices?.())
  const health = command.healthPort === undefined ? undefined : await startHealth(made.front, command)
  await print(`${made.listening.url}\n`)
  tell(made.front, command)
  process.on('SIGHUP', () => void reload(made.front, () => load(true)))
  await new Promise<void>((end) => {
    for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, end)
  })
  // A second signal does not wait.
  for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, () => process.exit(1))
  health?.leave()
  const late = setTimeout(() => {
    log(`requests were still under way after ${longestDrain / 1000} seconds, and are broken off`)
    process.exit(1)
  }, longestDrain)
  await made.listening.close()
  clearTimeout(late)
  health?.close()
  // A request in a turn may go on without its client.
  process.exit()
}

async function started(
  app: Intake,
  { to, port, host, observe, unmatched, journal, backendHost, xForwarded }: FrontCommand,
  services: unknown,
): Promise<{ readonly front: Front; readonly listening: Listening }> {
  try {
    const made = front(app, {
      to,
      services,
      observe,
      unmatched,
      hostField: backendHost ? 'backend' : 'kept',
      xForwarded,
      ...(journal === undefined ? {} : { journal: ndjsonJournal(journal) }),
    } as never)
    return { front: made, listening: await listen(made, { port, host }) }
  } catch (error) {
    throw failureOf(error, port)
  }
}

function failureOf(error: unknown, port: number): unknown {
  const { code, name, message } = error as NodeJS.ErrnoException
  if (code === 'EADDRINUSE') return new Failure(`port ${port} is in use; name another by --port`)
  if (code === 'EACCES') return new Failure(`port ${port} is not allowed here; name one from 1024 on by --port`)
  return name === 'DeclarationError' || code === 'ENOENT' ? new Failure(message) : error
}

const log = (line: string) => void process.stderr.write(`${line}\n`)

function tell({ to, unseen }: Front, { observe, unmatched }: FrontCommand): void {
  const what = observe === true ? 'everything' : (observe || ['what is accepted']).join(', ')
  const means = observe === true || !observe ? '' : ' that is wrong'
  log(pc.gray(`${observe ? 'observes; sends on' : 'sends on'} ${what}${observe === true ? '' : means} to ${to}`))
  if (unmatched === 'next') log(pc.gray('sends on what no endpoint matches'))
  if (unseen.length === 0) return
  log('The backend gets what was sent. It does not see what the intake makes of it:')
  for (const { endpoint, address, because } of unseen.slice(0, mostPrinted))
    log(`  ${endpoint}  ${address}  ${pc.gray(made[because])}`)
  if (unseen.length > mostPrinted) log(`  and ${unseen.length - mostPrinted} more`)
}
const made = { default: 'its default', fill: 'what a rule fills in', tidy: 'the tidied text' } as const

async function reload(front: Front, load: () => Promise<Intake>): Promise<void> {
  try {
    front.replace(await load())
    log('read the intake again')
  } catch (error) {
    log(`the intake stays as it was: ${(error as Error).message}`)
  }
}

/** `/health`: the process runs. `/ready`: the backend can be reached, and no signal has come. */
async function startHealth(
  front: Front,
  { healthPort, host }: FrontCommand,
): Promise<{ leave(): void; close(): void; readonly port: number }> {
  let isLeaving = false
  const server: Server = createServer(async ({ url }, response) => {
    const say = (status: number, text: string) =>
      response.writeHead(status, { 'content-type': 'text/plain', 'cache-control': 'no-store' }).end(`${text}\n`)
    if (url === '/health') say(200, 'running')
    else if (url !== '/ready') say(404, 'there are /health and /ready')
    else if (isLeaving) say(503, 'ending')
    else if (await front.ready()) say(200, 'ready')
    else say(503, `${front.to} cannot be reached`)
  })
  await new Promise<void>((resolve, reject) => {
    server.once('error', (error) => reject(failureOf(error, healthPort as number)))
    server.listen(healthPort, host, resolve)
  })
  return {
    leave: () => {
      isLeaving = true
    },
    close: () => {
      server.close()
      server.closeAllConnections()
    },
    port: (server.address() as AddressInfo).port,
  }
}
