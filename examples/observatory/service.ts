/** The observatory's API: what it does with requests that are accepted. It has no check of its own that the intake could say. */
import { createHash } from 'node:crypto'
import { give, intake, type Journal, judgeMerged, refuse, serve, type TurnStore } from 'yosei'
import type { Telemetry } from 'yosei/telemetry'
import { cursorOf, observatory, refusals, type Services, type Stored } from './intake.ts'

export interface About {
  readonly journal?: Journal
  readonly turns?: TurnStore
  readonly telemetry?: Telemetry
  /** The clock; that of the machine by default. */
  readonly now?: () => Date
}
type Booked = { readonly window?: { readonly opens: Date; readonly closes: Date } }

/** What is reported of a session. */
function told({ sessionId, telescope, team, night, state, booked }: Stored) {
  const { window } = (booked ?? {}) as Booked
  return { sessionId, telescope, team, night, state, ...(window ? { window } : {}) }
}
const tagOf = (version: number) => ({ headers: { etag: `"${version}"` } })
/** The version that a client means (RFC 9110, section 13.1.1): none if it means any, one that never is for an odd tag. */
const versionIn = (match: string | undefined) =>
  match === undefined || match === '*' ? undefined : Number(/^"(\d{1,9})"$/.exec(match)?.[1] ?? -1)

export default function makeService(services: Services, { now, ...about }: About = {}) {
  const app = intake({ ...observatory, ...about })
  const { bookSession } = app.endpoints
  return serve(
    app,
    {
      listTelescopes: async ({ query: { aperture = 0 } }) => ({
        telescopes: (await services.telescopes.list()).filter((one) => one.aperture >= aperture),
      }),
      showTelescope: async ({ path, query: { from = '0001-01-01', until = '9999-12-31' } }, { found }) => ({
        ...found.telescope,
        nights: await services.sessions.nights(path.telescopeId, from, until),
      }),
      async listSessions({ query: { cursor, sort = [{ by: 'opens', isBackwards: false }], limit, ...wanted } }) {
        const offset = cursor ?? wanted.offset
        // One more than wanted says whether there are more.
        const all = await services.sessions.list({ ...wanted, sort, offset, limit: limit + 1 })
        return {
          sessions: all.slice(0, limit).map(told),
          ...(all.length > limit ? { cursor: cursorOf(offset + limit) } : {}),
        }
      },
      async bookSession({ path, query, header, body }, { found }) {
        const { night } = body
        if (query.dryRun) return { night }
        const fingerprint = createHash('sha256')
          .update(JSON.stringify([path, body]))
          .digest('base64url')
        const earlier = found.earlier?.booking
        if (earlier && earlier.fingerprint !== fingerprint) return refuse(refusals.key)
        if (earlier) return give({ sessionId: earlier.sessionId, night: earlier.night }, tagOf(earlier.version))
        const [telescope, team, key] = [path.telescopeId, header['x-team'], header['idempotency-key']]
        const added = await services.sessions.add({ telescope, team, night, booked: body, key, fingerprint })
        if ('taken' in added) return refuse(refusals[added.taken])
        return give({ sessionId: added.sessionId, night }, tagOf(added.version))
      },
      async changeSession({ path, header, body: { sessionId: _, ...patch } }, { found }) {
        const { session } = found
        // What was booked before there was a service is not known whole, and changes as it is.
        const whole = session.booked ? judgeMerged(bookSession, session.booked, patch) : undefined
        if (whole?.outcome === 'rejected') return refuse(whole)
        const version = versionIn(header['if-match']) ?? session.version
        const booked = whole ? whole.input.body : { ...patch }
        const night = whole?.input.body.night ?? session.night
        const changed = await services.sessions.change(path.sessionId, { booked, night }, version)
        return 'taken' in changed ? refuse(refusals[changed.taken]) : give(told(changed), tagOf(changed.version))
      },
      async cancelSession({ path, header }) {
        const version = versionIn(header['if-match'])
        return (await services.sessions.cancel(path.sessionId, version)) ? undefined : refuse(refusals.version)
      },
      async sendChart({ path, body: { chart, sheet, isFinal } }) {
        const kept = { type: chart.type, bytes: await chart.bytesNow(), sheet, isFinal }
        if (await services.sessions.addChart(path.sessionId, kept)) return undefined
        return refuse({
          status: 404,
          code: 'no_such_session',
          message: 'is not one of your sessions',
          at: 'path.sessionId',
        })
      },
      addObserver: ({ body }) => services.observers.add(body),
      reportNight: ({ path, body }) => services.reports.put(path.telescopeId, path.night, body),
      async sendWeather({ body }) {
        await services.weather.add(body)
        return { taken: body.length }
      },
    },
    { services, now },
  )
}
