/**
 * A robotic-telescope observatory: teams book observing sessions over its API.
 * The same module is judged by the command line, by the page in a browser, and by a service.
 */
import {
  adding,
  allOptional,
  choice,
  day,
  decimal,
  duration,
  endpoint,
  flag,
  instant,
  intake,
  integer,
  list,
  number,
  readAs,
  record,
  table,
  tagged,
  text,
} from 'yosei'

/** What the observatory asks of its database. */
export interface Services {
  telescopes: { find(id: string): Promise<{ id: string; aperture: number } | undefined> }
  sessions: {
    /** The session that a telescope has in a night. */
    at(telescope: string, night: string): Promise<{ sessionId: string } | undefined>
    /** How many sessions a team may still book in a night. */
    left(team: string, night: string): Promise<number>
    add(session: { telescope: string; team: string; night: string }): Promise<{ sessionId: string }>
  }
}
/** A night has the date of its evening: it goes from noon to noon, in UTC. */
export const nightOf = (instant: Date): string =>
  new Date(instant.getTime() - 12 * 3_600_000).toISOString().slice(0, 10)

const slug = text({ pattern: /^[a-z][a-z0-9-]+$/, length: [2, 40] })
const sessionId = text({ pattern: /^s-[0-9]{6}$/ })

/** Right ascension is sent as hours, minutes and seconds, `05:35:17.3`, and read to hours. */
const rightAscension = readAs(
  text({ title: 'Right ascension, as hours:minutes:seconds' }),
  (sent) => {
    const [, hours, minutes, seconds] = /^([01]\d|2[0-3]):([0-5]\d):([0-5]\d(?:\.\d{1,4})?)$/.exec(sent) ?? []
    return hours === undefined ? undefined : Number(hours) + Number(minutes) / 60 + Number(seconds) / 3600
  },
  {
    code: 'bad_right_ascension',
    message: 'must be hours, minutes and seconds such as 05:35:17.3; {sent} was sent',
    write: (hours) => {
      const seconds = Math.round(hours * 36_000_000) / 10_000
      const two = (value: number) => String(Math.floor(value)).padStart(2, '0')
      return `${two(seconds / 3600)}:${two((seconds % 3600) / 60)}:${(seconds % 60).toFixed(4).padStart(7, '0')}`
    },
  },
)

const session = record({
  target: record({
    name: text({ length: [1, 80], tidy: ['trim'] }),
    rightAscension,
    declination: number({ min: -90, max: 90, title: 'Declination, in degrees' }),
  }),
  window: record(
    { opens: instant({ from: '+36h' }), closes: instant({ until: '+180d' }) },
    { rules: (on) => [on.ascending('opens', 'closes')] },
  ),
  exposures: list(
    record({
      filter: choice(['clear', 'red', 'green', 'blue']),
      seconds: number({ above: 0, max: 3600, step: 0.5 }),
      count: integer({ min: 1, max: 500, default: 1 }),
    }),
    { length: [1, 12], distinct: 'filter' },
  ),
  observing: tagged('mode', {
    survey: record({ tiles: integer({ min: 2, max: 400 }), overlap: number({ min: 0, below: 0.5, default: 0.1 }) }),
    single: record({ guiding: flag({ default: true }) }),
  }),
  overhead: duration({ max: '2h', default: 300_000, title: 'Time to slew and focus' }),
  price: decimal({ digits: 7, scale: 2, min: '0', title: 'The most that the team pays, in credits' }),
  tags: table(text({ length: [1, 20] }), { length: [0, 4], names: /^[a-z]+$/, optional: true }),
  contact: text({ format: 'email' }),
  doorCode: text({ length: [6, 12], optional: true, secret: true, title: 'Code of the dome, for observers on site' }),
  note: text({ length: [0, 500], optional: true, nullable: true }),
})

const listSessions = endpoint('GET /sessions', {
  title: 'List sessions',
  query: {
    telescope: list(slug, { optional: true, length: [1, 5], distinct: true }),
    night: day({ optional: true, from: '-365d', zone: 'America/Santiago' }),
    state: choice(['booked', 'observing', 'done', 'clouded-out'], { default: 'booked' }),
    from: instant({ optional: true }),
    until: instant({ optional: true }),
    limit: integer({ min: 1, max: 100, default: 20 }),
    offset: integer({ min: 0, default: 0 }),
  },
  rules: (on) => [on.ascending('query.from', 'query.until')],
})

const bookSession = endpoint('POST /telescopes/{telescopeId}/sessions', {
  title: 'Book an observing session',
  success: 201,
  path: { telescopeId: slug },
  query: { dryRun: flag({ default: false }) },
  header: { 'x-team': slug, 'idempotency-key': text({ length: [8, 64], optional: true }) },
  body: session,
  rules: (on) => [
    on.needed('header.idempotency-key', on.above('body.observing.tiles', 100)),
    on.check({
      reads: ['body.window', 'body.exposures', 'body.overhead'],
      blames: ['body.exposures'],
      code: 'longer_than_window',
      message: 'must fit into the window',
      holds: ({ opens, closes }, exposures, overhead) => {
        const seconds = exposures.reduce((sum, { seconds, count }) => sum + seconds * count, 0)
        return opens >= closes || seconds * 1000 + overhead <= closes.getTime() - opens.getTime()
      },
    }),
  ],
  // Two bookings of one telescope never look at its nights at the same time.
  turn: { of: 'telescope', by: ['path.telescopeId'], wait: '2s' },
  lookups: (on) => {
    const telescope = on.lookup({
      reads: ['path.telescopeId'],
      ask: ({ telescopes }: Services, [id]) => telescopes.find(id),
      refusal: { status: 404, code: 'no_such_telescope', message: 'is none of our telescopes' },
    })
    const booked = on.lookup({
      reads: ['path.telescopeId', 'body.window'],
      follows: { telescope },
      ask: ({ sessions }: Services, [id, { opens }]) => sessions.at(id, nightOf(opens)),
      absent: true,
      refusal: {
        status: 409,
        code: 'night_booked',
        message: 'lies in a night that is booked already',
        at: 'body.window',
      },
    })
    const quota = on.lookup({
      reads: ['header.x-team', 'body.window'],
      ask: async ({ sessions }: Services, [team, { opens }]) => (await sessions.left(team, nightOf(opens))) > 0,
      refusal: { status: 429, code: 'quota_spent', message: 'has no sessions left in that night' },
    })
    return { telescope, booked, quota }
  },
})

const changeSession = endpoint('PATCH /sessions/{sessionId}', {
  title: 'Change a session',
  path: { sessionId },
  header: { 'x-team': slug },
  body: allOptional(adding(session, { sessionId })),
  rules: (on) => [
    on.equal('path.sessionId', 'body.sessionId'),
    on.atLeastOne(
      'body.target',
      'body.window',
      'body.exposures',
      'body.observing',
      'body.price',
      'body.tags',
      'body.contact',
      'body.note',
    ),
  ],
})

export default intake({ title: 'Observatory', version: '1', endpoints: { listSessions, bookSession, changeSession } })
