/** The observatory's API: what the demonstration serves. */
import { refuse, serve } from 'yosei'
import app, { nightOf, type Services } from './intake.ts'

const makeService = (services: Services) =>
  serve(
    app,
    {
      listSessions: ({ query }) => ({ state: query.state, limit: query.limit, sessions: [] }),
      bookSession: async ({ path, query, header, body }, { found }) => {
        const night = nightOf(body.window.opens)
        if (query.dryRun) return { night, aperture: found.telescope.aperture }
        return services.sessions.add({ telescope: path.telescopeId, team: header['x-team'], night })
      },
      // The stand-in services know no session that could be changed.
      changeSession: () =>
        refuse({ status: 404, code: 'no_such_session', message: 'is none of your sessions', at: 'path.sessionId' }),
    },
    { services },
  )

export default makeService
