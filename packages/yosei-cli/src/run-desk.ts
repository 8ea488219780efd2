/** The command `desk`: a page to compose samples and understand their verdicts. */
import { readFileSync } from 'node:fs'
import { resolve } from 'node:path'
import { fileURLToPath } from 'node:url'
import type { BrokenMessage, Intake, Message } from 'yosei'
import { buildDesk, type SendOrder, type Sent, startDesk } from 'yosei-desk'
import { Failure } from './failure.js'
import { Server } from './http.js'
import { kit } from './kit.js'
import { nameOf } from './lines.js'
import { loadIntake, servicesOf } from './load.js'
import { sampleFiles } from './samples.js'
import { pc, print } from './terminal.js'

export interface DeskOptions {
  readonly intake: string
  readonly samples: readonly string[]
  readonly services?: string | undefined
  readonly port?: number
  readonly out?: string
}

/** Starts the desk, and stays; or builds it into a folder. */
export async function runDesk({ intake, samples, services, port, out }: DeskOptions): Promise<void> {
  const files = samples.length === 0 ? [] : sampleFiles(samples)
  const odd = files.find((file) => !file.endsWith('.md'))
  if (odd !== undefined) throw new Failure(`${nameOf(odd)}: the desk keeps samples in books alone; name Markdown files`)
  let app: Intake | undefined
  const load = async () => {
    const loaded = await loadIntake(intake, { isFresh: true })
    app = loaded
    const makeServices = await servicesOf(intake, services, { isFresh: true })
    return { app: loaded, makeServices }
  }
  const failing = async <T>(done: Promise<T>): Promise<T> => {
    try {
      return await done
    } catch (error) {
      throw error instanceof Failure ? error : new Failure((error as Error).message)
    }
  }
  if (out !== undefined) {
    await load()
    const kitFile = fileURLToPath(new URL('./kit.js', import.meta.url))
    const books = files.map((file) => ({ file, page: readFileSync(file, 'utf8') }))
    const modules = { intake: resolve(intake), ...(services === undefined ? {} : { services: resolve(services) }) }
    await failing(buildDesk({ ...modules, books, kit: kitFile, folder: out }))
    await print(`The desk is in ${out}; any server of files can serve it.\n`)
    return
  }
  const modules = [intake, ...(services === undefined ? [] : [services])]
  const { url, close } = await failing(
    startDesk({ load, files, modules, kit, send: (message, to) => send(message, to, app), port }),
  )
  await print(`The desk: ${pc.bold(url)}  ${pc.gray('(Ctrl-C ends it)')}\n`)
  await new Promise<void>((end) => {
    for (const signal of ['SIGINT', 'SIGTERM'] as const) process.once(signal, end)
  })
  await close()
}

/** How long a server may take, in milliseconds. */
const timeout = 10_000

/** @throws Error if the address is none, no server answers, or the draft is no message. */
async function send(
  message: Message | BrokenMessage,
  { base, times }: Omit<SendOrder, 'draft'>,
  app: Intake | undefined,
): Promise<readonly Sent[]> {
  if ('reason' in message) throw new Failure(`line ${message.line}: ${message.reason}`)
  const server = new Server(base, { headers: [], timeout, app }, times)
  const came: Sent[] = []
  try {
    await Promise.all(
      Array.from({ length: times }, async () => {
        const answer = await server.send(message)
        came.push(typeof answer === 'string' ? { trouble: answer } : { ...answer, errors: answer.errors ?? [] })
      }),
    )
    return came
  } finally {
    await server.close()
  }
}
