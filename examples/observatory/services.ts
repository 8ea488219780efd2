/**
 * Stand-ins for the observatory's database, in memory: for samples, for the page, for tests, and for the demonstration.
 */
import type { Caller, Services, Stored } from './intake.ts'

const telescopes = [
  { id: 'kr-1', aperture: 0.6 },
  { id: 'kr-2', aperture: 1.2 },
  { id: 'kr-3', aperture: 2.0 },
]
/** Made up, as all that is here. */
const keys = new Map<string, Caller>([
  ['nebula-key', { team: 'nebula', role: 'team' }],
  ['comet-key', { team: 'comet', role: 'team' }],
  ['dome-key', { team: 'dome', role: 'operator' }],
])
/** The most sessions that a team may have in one night. */
const quota = 2

export default function makeServices(): Services {
  const booked: Stored[] = [
    { sessionId: 's-000001', telescope: 'kr-3', team: 'comet', night: '2031-03-04', state: 'booked' },
    { sessionId: 's-000002', telescope: 'kr-1', team: 'comet', night: '2031-03-04', state: 'booked' },
    { sessionId: 's-004711', telescope: 'kr-2', team: 'nebula', night: '2031-03-09', state: 'booked' },
  ]
  const find = (sessionId: string) => booked.find((one) => one.sessionId === sessionId)
  const replace = (sessionId: string, by: readonly Stored[]) =>
    booked.splice(
      booked.findIndex((one) => one.sessionId === sessionId),
      1,
      ...by,
    )
  let observers = 0
  let sessions = 2
  return {
    keys: { find: async (key) => keys.get(key) },
    telescopes: { list: async () => telescopes, find: async (id) => telescopes.find((one) => one.id === id) },
    sessions: {
      list: async () => booked,
      find: async (sessionId) => find(sessionId),
      at: async (telescope, night) => booked.find((one) => one.telescope === telescope && one.night === night),
      left: async (team, night) => quota - booked.filter((one) => one.team === team && one.night === night).length,
      add: async (session) => {
        const sessionId = `s-${String(++sessions).padStart(6, '0')}`
        booked.push({ sessionId, state: 'booked', ...session })
        return { sessionId }
      },
      change: async (sessionId, changed) => {
        const after = { ...(find(sessionId) as Stored), booked: changed }
        replace(sessionId, [after])
        return after
      },
      cancel: async (sessionId) => void replace(sessionId, []),
    },
    observers: { add: async () => ({ observerId: `o-${++observers}` }) },
    reports: { add: async () => undefined },
  }
}
