/**
 * Stand-ins for the observatory's database, in memory: for samples, at the desk, and for tests. The service itself is
 * over PostgreSQL, in server/services.ts.
 */
import type { Caller, Earlier, Services, Stored } from './intake.ts'

export const telescopes = [
  { id: 'kr-1', aperture: 0.6 },
  { id: 'kr-2', aperture: 1.2 },
  { id: 'kr-3', aperture: 2.0 },
]
/** Made up, as all that is here. */
export const keys: readonly (readonly [key: string, caller: Caller])[] = [
  ['nebula-key', { team: 'nebula', role: 'team' }],
  ['comet-key', { team: 'comet', role: 'team' }],
  ['dome-key', { team: 'dome', role: 'operator' }],
]
/** The most sessions that a team may have in one night. */
export const quota = 2

export default function makeServices(): Services {
  const stored = (sessionId: string, telescope: string, team: string, night: string): Stored => ({
    sessionId,
    telescope,
    team,
    night,
    state: 'booked',
    version: 1,
  })
  let booked: readonly Stored[] = [
    stored('s-000001', 'kr-3', 'comet', '2031-03-04'),
    stored('s-000002', 'kr-1', 'comet', '2031-03-04'),
    stored('s-004711', 'kr-2', 'nebula', '2031-03-09'),
  ]
  const earlier = new Map<string, Earlier>()
  const find = (sessionId: string) => booked.find((one) => one.sessionId === sessionId)
  /** What is there, if it is of the version that is meant. */
  const meant = (sessionId: string, version: number | undefined) => {
    const one = find(sessionId)
    return one && (version ?? one.version) === one.version ? one : undefined
  }
  const at = (telescope: string, night: string) =>
    booked.find((one) => one.telescope === telescope && one.night === night)
  const left = (team: string, night: string) =>
    quota - booked.filter((one) => one.team === team && one.night === night).length
  let observers = 0
  let sessions = 2
  return {
    keys: { find: async (key) => new Map(keys).get(key) },
    telescopes: { list: async () => telescopes, find: async (id) => telescopes.find((one) => one.id === id) },
    sessions: {
      list: async ({ telescope, night, state, sort, offset, limit }) =>
        booked
          .filter((one) => one.state === state && (night ?? one.night) === one.night)
          .filter((one) => telescope === undefined || telescope.includes(one.telescope))
          .sort((a, b) => {
            for (const { by, isBackwards } of sort) {
              const field = by === 'team' ? 'team' : 'night'
              const order = a[field].localeCompare(b[field])
              if (order !== 0) return isBackwards ? -order : order
            }
            return 0
          })
          .slice(offset, offset + limit),
      nights: async (id, from, until) =>
        booked.flatMap(({ telescope, night }) => (telescope === id && night >= from && night <= until ? [night] : [])),
      find: async (sessionId) => find(sessionId),
      at: async (telescope, night) => at(telescope, night),
      left: async (team, night) => left(team, night),
      earlier: async (team, key) => earlier.get(`${team} ${key}`),
      async add({ key, fingerprint = '', ...session }) {
        if (at(session.telescope, session.night)) return { taken: 'night' }
        if (left(session.team, session.night) <= 0) return { taken: 'quota' }
        const sessionId = `s-${String(++sessions).padStart(6, '0')}`
        booked = [...booked, { sessionId, state: 'booked', version: 1, ...session }]
        if (key) earlier.set(`${session.team} ${key}`, { sessionId, night: session.night, version: 1, fingerprint })
        return { sessionId, version: 1 }
      },
      async change(sessionId, to, version) {
        const before = meant(sessionId, version)
        if (!before) return { taken: 'version' }
        const there = at(before.telescope, to.night)
        if (there && there !== before) return { taken: 'night' }
        const after = { ...before, ...to, version: before.version + 1 }
        booked = booked.map((one) => (one === before ? after : one))
        return after
      },
      async cancel(sessionId, version) {
        const before = meant(sessionId, version)
        booked = booked.filter((one) => one !== before)
        return before !== undefined
      },
      addChart: async (sessionId) => find(sessionId) !== undefined,
    },
    observers: { add: async () => ({ observerId: `o-${++observers}` }) },
    reports: { put: async () => undefined },
    weather: { add: async () => undefined },
  }
}
