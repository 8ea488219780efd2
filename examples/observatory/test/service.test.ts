import { expect, test } from '@jest/globals'
import { judge } from 'yosei'
import app from '../intake.ts'
import makeService from '../service.ts'
import makeServices from '../services.ts'

test('a wrong page size is told at its field, in process', async () => {
  const handle = makeService(makeServices())
  const answer = await handle(new Request('https://kr.example/sessions?limit=2&sort=-opens'))
  const { sessions, cursor } = await answer.json()
  expect([sessions.map(({ sessionId }: { sessionId: string }) => sessionId), cursor]).toEqual([
    ['s-004711', 's-000001'],
    'MDAwMg',
  ])

  const verdict = await judge(app, 'GET /sessions?limit=500 HTTP/1.1')
  expect(verdict).toMatchObject({
    outcome: 'rejected',
    status: 400,
    errors: [{ address: 'query.limit', code: 'above_max' }],
  })
})

/** A request to the service, with a key; what it came to. */
async function send(handle: ReturnType<typeof makeService>, key: string, method: string, path: string, body?: object) {
  const type = method === 'PATCH' ? 'application/merge-patch+json' : 'application/json'
  const headers = { authorization: `Bearer ${key}`, 'x-team': 'nebula', ...(body ? { 'content-type': type } : {}) }
  const answer = await handle(
    new Request(`https://kr.example${path}`, { method, headers, ...(body ? { body: JSON.stringify(body) } : {}) }),
  )
  return [answer.status, answer.status === 204 ? null : await answer.json()] as const
}

test('a session is booked, changed as a whole, listed and cancelled', async () => {
  const handle = makeService(makeServices())
  const opens = new Date(Math.floor(Date.now() / 86_400_000 + 30) * 86_400_000)
  const closes = new Date(opens.getTime() + 3_600_000)
  const [booked, { sessionId }] = await send(handle, 'nebula-key', 'POST', '/telescopes/kr-1/sessions', {
    target: { name: 'Heron Cluster', rightAscension: '00:00:00', declination: 41 },
    window: { opens, closes },
    exposures: [{ filter: 'clear', seconds: 60 }],
    observing: { mode: 'single' },
    price: '80',
    contact: 'bo@nebula.example',
  })
  expect(booked).toBe(201)
  const at = `/sessions/${sessionId}`
  // The exposures that stay no longer fit into the window that changes.
  const [status, { fields }] = await send(handle, 'nebula-key', 'PATCH', at, {
    window: { closes: new Date(opens.getTime() + 60_000) },
  })
  expect([status, Object.keys(fields)]).toEqual([422, ['body.exposures']])
  const [changed] = await send(handle, 'nebula-key', 'PATCH', at, { note: 'Seen again', price: '90', overhead: 'PT1M' })
  const [shown, { nights }] = await send(handle, 'nebula-key', 'GET', '/telescopes/kr-1')
  expect([changed, shown, nights.length]).toEqual([200, 200, 2])
  // Not by another team, once by its own.
  const cancel = async (key: string) => (await send(handle, key, 'DELETE', at))[0]
  expect([await cancel('comet-key'), await cancel('nebula-key'), await cancel('nebula-key')]).toEqual([404, 204, 404])
})

test('operators alone report', async () => {
  const handle = makeService(makeServices())
  const report = (key: string, outcome: string) =>
    send(handle, key, 'PUT', '/telescopes/kr-1/nights/2026-01-02/report', {
      opened: '2026-01-02T23:00:00Z',
      closed: '2026-01-03T08:00:00Z',
      openSeconds: 100,
      clouds: 'clear',
      sessions: [
        { sessionId: 's-000002', began: '2026-01-02T23:00:00Z', ended: '2026-01-02T23:30:00Z', seconds: 90, outcome },
      ],
    })
  expect(
    await Promise.all(
      [report('nebula-key', 'done'), report('dome-key', 'done'), report('dome-key', 'clouded-out')].map(
        async (one) => (await one)[0],
      ),
    ),
  ).toEqual([403, 204, 422])
})
