import { expect, test } from '@jest/globals'
import { judge, serve } from 'yosei'
import app from '../intake.ts'
import makeServices from '../services.ts'

test('a wrong page size is told at its field, in process', async () => {
  const handle = serve(
    app,
    {
      listSessions: ({ query }) => ({ limit: query.limit, sessions: [] }),
      bookSession: () => undefined,
      changeSession: () => undefined,
    },
    { services: makeServices() },
  )
  expect(await (await handle(new Request('https://kr.example/sessions?limit=5'))).json()).toEqual({
    limit: 5,
    sessions: [],
  })

  const verdict = await judge(app, 'GET /sessions?limit=500 HTTP/1.1')
  expect(verdict).toMatchObject({
    outcome: 'rejected',
    status: 400,
    errors: [{ address: 'query.limit', code: 'above_max' }],
  })
})
