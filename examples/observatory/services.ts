/**
 * Stand-ins for the observatory's database, in memory: for samples, for the page, for tests, and for the demonstration.
 */
import type { Services } from './intake.ts'

const telescopes = [
  { id: 'kr-1', aperture: 0.6 },
  { id: 'kr-2', aperture: 1.2 },
  { id: 'kr-3', aperture: 2.0 },
]
/** The most sessions that a team may have in one night. */
const quota = 2

export default function makeServices(): Services {
  const booked = [
    { sessionId: 's-000001', telescope: 'kr-3', team: 'comet', night: '2031-03-04' },
    { sessionId: 's-000002', telescope: 'kr-1', team: 'comet', night: '2031-03-04' },
  ]
  return {
    telescopes: { find: async (id) => telescopes.find((one) => one.id === id) },
    sessions: {
      at: async (telescope, night) => booked.find((one) => one.telescope === telescope && one.night === night),
      left: async (team, night) => quota - booked.filter((one) => one.team === team && one.night === night).length,
      add: async (session) => {
        const added = { sessionId: `s-${String(booked.length + 1).padStart(6, '0')}`, ...session }
        booked.push(added)
        return added
      },
    },
  }
}
