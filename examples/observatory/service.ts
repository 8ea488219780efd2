/** The observatory's API: what the demonstration serves. */
import { judgeMerged, refuse, serve } from 'yosei'
import app, { nightOf, type Services, type Stored } from './intake.ts'

const { bookSession } = app.endpoints
const orders = { opens: 'night', team: 'team' } as const

/** What a list tells of a session. */
const told = ({ sessionId, telescope, team, night, state }: Stored) => ({ sessionId, telescope, team, night, state })

const makeService = (services: Services) =>
  serve(
    app,
    {
      listTelescopes: async ({ query: { aperture = 0 } }) => ({
        telescopes: (await services.telescopes.list()).filter((one) => one.aperture >= aperture),
      }),
      showTelescope: async ({ path, query: { from = '', until = '9999-12-31' } }, { found }) => ({
        ...found.telescope,
        nights: (await services.sessions.list())
          .filter(({ telescope, night }) => telescope === path.telescopeId && night >= from && night <= until)
          .map(({ night }) => night),
      }),
      listSessions: async ({ query }) => {
        const { telescope, night, state, limit, sort = [{ by: 'opens', isBackwards: false }] } = query
        const start = query.cursor === undefined ? query.offset : Number(Buffer.from(query.cursor, 'base64url'))
        const all = (await services.sessions.list())
          .filter((one) => one.state === state && (night ?? one.night) === one.night)
          .filter((one) => telescope === undefined || telescope.includes(one.telescope))
          .sort((a, b) => {
            for (const { by, isBackwards } of sort) {
              const order = a[orders[by as keyof typeof orders]].localeCompare(b[orders[by as keyof typeof orders]])
              if (order !== 0) return isBackwards ? -order : order
            }
            return 0
          })
        const end = start + limit
        return {
          sessions: all.slice(start, end).map(told),
          ...(end < all.length ? { cursor: Buffer.from(String(end).padStart(4, '0')).toString('base64url') } : {}),
        }
      },
      bookSession: async ({ path, query, header, body }, { found }) => {
        const night = nightOf(body.window.opens)
        if (query.dryRun) return { night, aperture: found.telescope.aperture }
        return services.sessions.add({ telescope: path.telescopeId, team: header['x-team'], night, booked: body })
      },
      changeSession: async ({ path, body: { sessionId: _, ...patch } }, { found }) => {
        // What was booked before there was a service is not known whole, and changes as it is.
        if (!found.session.booked) return told(found.session)
        const whole = judgeMerged(bookSession, found.session.booked, patch)
        if (whole.outcome === 'rejected') return refuse(whole)
        return told(await services.sessions.change(path.sessionId, whole.input.body))
      },
      cancelSession: async ({ path }) => services.sessions.cancel(path.sessionId),
      sendChart: async ({ body: { chart } }) => void (await chart.bytesNow()),
      addObserver: ({ body }) => services.observers.add(body),
      reportNight: ({ body }) => services.reports.add(body),
      sendWeather: ({ body }) => ({ taken: body.length }),
    },
    { services },
  )

export default makeService
