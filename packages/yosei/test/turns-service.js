/**
 * A service whose handler reads a number, waits, and writes it back one less: two at once would both read the same. Run
 * as a process: node turns-service.js REDIS_PORT. Tells its parent its port, and when a handler has begun.
 */
import { setTimeout as sleep } from 'node:timers/promises'
import { pathToFileURL } from 'node:url'
import { createClient } from 'redis'
import { endpoint, intake, refuse, serve, text } from 'yosei'
import { listen } from 'yosei/node'
import { redisTurns } from 'yosei/redis'

/** @param room Reads and writes how many places are left. */
export function makeService({ turns, room, pause = 2, begun = () => undefined, longest }) {
  const book = (wait, lease) =>
    endpoint(`POST /${wait}/${lease}/slots/{slot}`, {
      path: { slot: text() },
      turn: { of: 'slot', by: ['path.slot'], wait, lease, waiters: 1000, ...(longest ? { longest } : {}) },
      lookups: (on) => ({
        room: on.lookup({
          reads: ['path.slot'],
          ask: async () => (await room.read()) || undefined,
          refusal: { status: 409, code: 'full', message: 'is full' },
          within: '20s',
        }),
      }),
      success: 201,
    })
  const handler = async ({ path }, { found, turn, signal }) => {
    begun()
    if (path.slot === 'long') await sleep(60_000)
    if (path.slot === 'frozen') {
      await room.woken()
      await room.told(`${turn.holds()} ${signal.aborted}`)
    }
    await sleep(path.slot === 'slow' ? 400 : pause)
    if (path.slot.startsWith('throw') && Math.random() < 0.5) throw new Error('at random')
    if (path.slot.startsWith('refuse'))
      return refuse({ status: 423, code: 'locked', message: 'is locked', at: 'path.slot' })
    await room.write(found.room - 1)
    return { fence: String(turn.fence) }
  }
  const app = intake({
    endpoints: { patient: book('20s', '30s'), hasty: book('0s', '700ms') },
    turns,
    journal: { write: () => undefined },
  })
  return serve(app, { patient: handler, hasty: handler })
}

if (import.meta.url === pathToFileURL(process.argv[1] ?? '').href) {
  const client = await createClient({ url: `redis://127.0.0.1:${process.argv[2]}` }).connect()
  const waiting = await client.duplicate().connect()
  const room = {
    async read() {
      const left = Number(await client.get('room'))
      await sleep(2)
      return left
    },
    write: (left) => client.set('room', String(left)),
    woken: () => waiting.blPop('wake', 0),
    told: (said) => client.rPush('told', said),
  }
  const { port } = await listen(makeService({ turns: redisTurns(client), room, begun: () => process.send('begun') }))
  process.send(port)
  process.on('disconnect', () => process.exit())
}
