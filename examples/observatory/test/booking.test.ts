import { expect, test } from '@jest/globals'
import { nightOf } from '../intake.ts'
import makeService from '../service.ts'
import makeServices from '../services.ts'

test('two bookings of one night at the same moment: one of them gets it', async () => {
  const services = makeServices()
  const handle = makeService(services)
  const opens = new Date(Math.floor(Date.now() / 86_400_000 + 30) * 86_400_000)
  const body = JSON.stringify({
    target: { name: 'Heron Cluster', rightAscension: '00:00:00', declination: 41 },
    window: { opens, closes: new Date(opens.getTime() + 3_600_000) },
    exposures: [{ filter: 'clear', seconds: 60 }],
    observing: { mode: 'single' },
    price: '80',
    contact: 'bo@nebula.example',
  })
  const book = (team: string) =>
    handle(
      new Request('https://kr.example/telescopes/kr-2/sessions', {
        method: 'POST',
        headers: { authorization: 'Bearer dome-key', 'content-type': 'application/json', 'x-team': team },
        body,
      }),
    )
  const answers = await Promise.all(['nebula', 'quasar', 'pulsar'].map(book))
  expect(answers.map(({ status }) => status).sort()).toEqual([201, 409, 409])
  expect(
    (await services.sessions.left('nebula', nightOf(opens))) +
      (await services.sessions.left('quasar', nightOf(opens))) +
      (await services.sessions.left('pulsar', nightOf(opens))),
  ).toBe(5)
  const { fields } = await (answers.find(({ status }) => status === 409) as Response).json()
  expect(fields).toEqual({
    'body.window': [{ code: 'night_booked', detail: 'lies in a night that is booked already', pointer: '/window' }],
  })
})
