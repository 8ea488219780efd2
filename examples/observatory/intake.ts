/**
 * A robotic-telescope observatory: teams book observing sessions over its API.
 * The same module is served, judged by the command line and at the desk, and makes the booking form and its client.
 */
import {
  adding,
  allOptional,
  choice,
  day,
  decimal,
  duration,
  endpoint,
  file,
  flag,
  group,
  type Head,
  instant,
  intake,
  integer,
  lines,
  list,
  number,
  readAs,
  record,
  table,
  tagged,
  text,
  timeOfDay,
} from 'yosei'

/** The caller: a member of a team, or an operator of the observatory. */
export interface Caller {
  readonly team: string
  readonly role: 'team' | 'operator'
}
/** A session as it is stored: what was booked, and what the observatory adds. */
export interface Stored {
  readonly sessionId: string
  readonly telescope: string
  readonly team: string
  readonly night: string
  readonly state: State
  readonly booked?: object
  /** Grows with each change. */
  readonly version: number
}
export type State = 'booked' | 'observing' | 'done' | 'clouded-out'
/** What a caller asks a list for. */
interface Wanted {
  readonly telescope?: readonly string[] | undefined
  readonly night?: string | undefined
  readonly state: State
  readonly from?: Date | undefined
  readonly until?: Date | undefined
  readonly sort: readonly { readonly by: string; readonly isBackwards: boolean }[]
  readonly offset: number
  readonly limit: number
}
/** A booking to be stored. */
interface Booking {
  readonly telescope: string
  readonly team: string
  readonly night: string
  readonly booked: object
  /** The client's own key, and what was sent under it. */
  readonly key?: string | undefined
  readonly fingerprint?: string | undefined
}
/** What was booked before under a key. */
export interface Earlier {
  readonly sessionId: string
  readonly night: string
  readonly version: number
  readonly fingerprint: string
}

/** What the observatory asks of its database. */
export interface Services {
  keys: { find(key: string): Promise<Caller | undefined> }
  telescopes: {
    list(): Promise<readonly { id: string; aperture: number }[]>
    find(id: string): Promise<{ id: string; aperture: number } | undefined>
  }
  sessions: {
    list(wanted: Wanted): Promise<readonly Stored[]>
    /** The nights of a telescope that are booked, from one to another. */
    nights(telescope: string, from: string, until: string): Promise<readonly string[]>
    find(sessionId: string): Promise<Stored | undefined>
    /** The session that a telescope has in a night. */
    at(telescope: string, night: string): Promise<Stored | undefined>
    /** How many sessions a team may still book in a night. */
    left(team: string, night: string): Promise<number>
    /** What a team has booked under a key of its own. */
    earlier(team: string, key: string): Promise<Earlier | undefined>
    /** The store has the last word: what is taken by then is not booked. */
    add(booking: Booking): Promise<{ sessionId: string; version: number } | { taken: 'night' | 'quota' | 'key' }>
    /** What is of another version by now is not changed. */
    change(
      sessionId: string,
      to: { booked: object; night: string },
      version: number,
    ): Promise<Stored | { taken: 'version' | 'night' | 'quota' }>
    cancel(sessionId: string, version?: number): Promise<boolean>
    /** @returns Whether there is such a session. */
    addChart(sessionId: string, chart: Chart): Promise<boolean>
  }
  observers: { add(observer: object): Promise<{ observerId: string }> }
  reports: { put(telescope: string, night: string, report: object): Promise<void> }
  weather: { add(readings: readonly { readonly station: string; readonly at: Date }[]): Promise<void> }
}
interface Chart {
  readonly type: string
  readonly bytes: Uint8Array
  readonly sheet: object
  readonly isFinal: boolean
}
/** What is refused by a lookup that comes before, or by the store that has the last word: in the same words. */
export const refusals = {
  night: { status: 409, code: 'night_booked', message: 'lies in a night that is booked already', at: 'body.window' },
  quota: { status: 429, code: 'quota_spent', message: 'has no sessions left in that night', at: 'header.x-team' },
  key: {
    status: 422,
    code: 'key_used',
    message: 'was used for another booking: each booking needs its own key',
    at: 'header.idempotency-key',
  },
  version: {
    status: 412,
    code: 'changed_meanwhile',
    message: 'is of another version than the session is by now: read it again',
    at: 'header.if-match',
  },
} as const

/** A night has the date of its evening: it goes from noon to noon, in UTC. */
export const nightOf = (instant: Date): string =>
  new Date(instant.getTime() - 12 * 3_600_000).toISOString().slice(0, 10)

/** What people write: any characters that a database keeps, so no U+0000 and no half of a character. */
const words = <const O extends Parameters<typeof text>[0]>(options: O) =>
  text({
    pattern: /^[^\0\p{Cs}]*$/u,
    messages: { wrong_pattern: 'must hold no U+0000 and no broken characters' },
    ...options,
  })

const slug = text({ pattern: /^[a-z][a-z0-9-]+$/, length: [2, 40] })
const sessionId = text({ pattern: /^s-[0-9]{6}$/ })

/** Right ascension is sent as hours, minutes and seconds, `05:35:17.3`, and read to hours. */
const rightAscension = readAs(
  text({ title: 'Right ascension, as hours:minutes:seconds', length: [8, 13], examples: ['05:35:17.3', '23:59:59.9'] }),
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
    name: words({ length: [1, 80], tidy: ['trim'] }),
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
  tags: table(words({ length: [1, 20] }), { length: [0, 4], names: /^[a-z]+$/, optional: true }),
  contact: text({ format: 'email' }),
  doorCode: words({ length: [6, 12], optional: true, secret: true, title: 'Code of the dome, for observers on site' }),
  note: words({ length: [0, 500], optional: true, nullable: true }),
})

/** Who asks, if an endpoint speaks of it. */
const who = record({ team: slug, role: choice(['team', 'operator']) })

const telescope = record({ id: slug, aperture: number() })
const stored = record({
  sessionId,
  telescope: slug,
  team: slug,
  night: day(),
  state: text(),
  window: record({ opens: instant(), closes: instant() }, { optional: true }),
})

/** Before the observatory was built there was nothing. */
const [firstDay, firstMoment] = ['2000-01-01', '2000-01-01T00:00:00Z']

const listTelescopes = endpoint('GET /telescopes', {
  title: 'List telescopes',
  open: true,
  query: { aperture: number({ min: 0, optional: true, title: 'The least aperture, in metres' }) },
  gives: record({ telescopes: list(telescope) }),
})

const showTelescope = endpoint('GET /telescopes/{telescopeId}', {
  title: 'Show a telescope and its booked nights',
  open: true,
  path: { telescopeId: slug },
  query: {
    from: day({ optional: true, from: firstDay, zone: 'America/Santiago' }),
    until: day({ optional: true, from: firstDay }),
  },
  rules: (on) => [on.gap('query.from', 'query.until', { atLeast: '0d', atMost: '366d' })],
  lookups: (on) => ({
    telescope: on.lookup({
      reads: ['path.telescopeId'],
      ask: ({ telescopes }: Services, [id]) => telescopes.find(id),
      refusal: { status: 404, code: 'no_such_telescope', message: 'is not one of our telescopes' },
    }),
  }),
  gives: adding(telescope, { nights: list(day()) }),
})

/** Where a list goes on, as its client hands it back. */
export const cursorOf = (offset: number): string => btoa(String(offset).padStart(4, '0')).replace(/=+$/, '')
function offsetIn(cursor: string): number | undefined {
  try {
    const digits = atob(cursor.replaceAll('-', '+').replaceAll('_', '/'))
    return /^\d{4,9}$/.test(digits) ? Number(digits) : undefined
  } catch {
    return undefined
  }
}

/** `opens`, or backwards `-opens`: one field twice is one too many, whatever its direction. */
const sorting = readAs(
  choice(['opens', '-opens', 'team', '-team']),
  (sent) => ({ by: sent.replace('-', ''), isBackwards: sent.startsWith('-') }),
  {
    code: 'bad_sorting',
    key: ({ by }) => by,
    write: ({ by, isBackwards }) => (isBackwards ? `-${by}` : by) as 'opens',
  },
)

const listSessions = endpoint('GET /sessions', {
  title: 'List sessions',
  open: true,
  query: {
    telescope: list(slug, { optional: true, length: [1, 5], distinct: true }),
    night: day({ optional: true, from: '-365d', zone: 'America/Santiago' }),
    state: choice(['booked', 'observing', 'done', 'clouded-out'], { default: 'booked' }),
    from: instant({ optional: true, from: firstMoment }),
    until: instant({ optional: true, from: firstMoment }),
    limit: integer({ min: 1, max: 100, default: 20 }),
    offset: integer({ min: 0, default: 0 }),
    sort: list(sorting, { optional: true, length: [1, 2], distinct: true, explode: false }),
    cursor: readAs(text({ format: 'base64url', length: [4, 200], optional: true }), offsetIn, {
      code: 'bad_cursor',
      message: 'must be the cursor of a list',
      write: cursorOf,
    }),
  },
  rules: (on) => [on.ascending('query.from', 'query.until'), on.atMostOne('query.offset', 'query.cursor')],
  gives: record({ sessions: list(stored), cursor: text({ optional: true }) }),
})

const bookSession = endpoint('POST /telescopes/{telescopeId}/sessions', {
  title: 'Book an observing session',
  success: 201,
  path: { telescopeId: slug },
  query: { dryRun: flag({ default: false }) },
  header: { 'x-team': slug, 'idempotency-key': text({ length: [8, 64], optional: true }) },
  who,
  // The night follows from the window: it is not asked for, and what is sent of it is dropped.
  body: adding(session, { night: day({ optional: true, readOnly: 'drop' }) }),
  gives: record({ sessionId: text({ optional: true }), night: day() }),
  rules: (on) => [
    // A team books for itself, an operator for any.
    on.while(on.is('who.role', 'team'), [
      on.equal('who.team', 'header.x-team', { code: 'other_team', message: 'is not the team whose key this is' }),
    ]),
    on.fill('body.night', ['body.window'], ({ opens }) => nightOf(opens)),
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
  // Two bookings of one night never look at its telescopes, nor at the quota of a team, at the same time. Who dies with a
  // turn keeps it for 5 seconds.
  turn: { of: 'night', by: ['body.night'], wait: '2s', lease: '5s' },
  lookups: (on) => {
    const telescope = on.lookup({
      reads: ['path.telescopeId'],
      ask: ({ telescopes }: Services, [id]) => telescopes.find(id),
      refusal: { status: 404, code: 'no_such_telescope', message: 'is not one of our telescopes' },
    })
    // The same booking sent again is no other booking.
    const earlier = on.lookup({
      reads: ['header.x-team', 'header.idempotency-key'],
      ask: async ({ sessions }: Services, [team, key]) => ({ booking: await sessions.earlier(team, key) }),
    })
    const booked = on.lookup({
      reads: ['path.telescopeId', 'body.night'],
      follows: { telescope, earlier },
      ask: ({ sessions }: Services, [id, night], { found }) =>
        found.earlier?.booking ? undefined : sessions.at(id, night),
      absent: true,
      refusal: refusals.night,
    })
    const quota = on.lookup({
      reads: ['header.x-team', 'body.night'],
      follows: { earlier },
      ask: async ({ sessions }: Services, [team, night], { found }) =>
        found.earlier?.booking !== undefined || (await sessions.left(team, night)) > 0,
      refusal: refusals.quota,
    })
    return { telescope, earlier, booked, quota }
  },
})

/** A team has its own sessions, an operator all. */
const ofOneself = {
  reads: ['path.sessionId', 'who'] as const,
  ask: async ({ sessions }: Services, [id, caller]: readonly [string, Caller]) => {
    const found = await sessions.find(id)
    return caller.role === 'operator' || found?.team === caller.team ? found : undefined
  },
  refusal: { status: 404, code: 'no_such_session', message: 'is not one of your sessions' },
} as const

const changeSession = endpoint('PATCH /sessions/{sessionId}', {
  title: 'Change a session',
  path: { sessionId },
  header: { 'x-team': slug, 'if-match': text({ length: [1, 100], optional: true }) },
  who,
  body: { 'application/merge-patch+json': allOptional(adding(session, { sessionId }), { nullable: true, deep: true }) },
  gives: stored,
  rules: (on) => [
    on.equal('path.sessionId', 'body.sessionId'),
    on.atLeastOne(
      'body.target',
      'body.window',
      'body.exposures',
      'body.observing',
      'body.overhead',
      'body.price',
      'body.tags',
      'body.contact',
      'body.note',
    ),
  ],
  lookups: (on) => ({ session: on.lookup(ofOneself) }),
})

const cancelSession = endpoint('DELETE /sessions/{sessionId}', {
  title: 'Cancel a session',
  success: 204,
  path: { sessionId },
  header: { 'if-match': text({ length: [1, 100], optional: true }) },
  who,
  lookups: (on) => ({ session: on.lookup(ofOneself) }),
})

const addObserver = endpoint('POST /observers', {
  title: 'Add an observer',
  success: 201,
  body: record({
    name: words({ length: [1, 80], tidy: ['trim', 'squeeze'] }),
    born: day({ until: '-18y', zone: 'America/Santiago', title: 'Observers on site are of age' }),
    contact: text({ format: 'email' }),
    phone: text({ format: 'phone', optional: true, secret: true }),
    country: text({ format: 'country', tidy: ['upper'] }),
    language: text({ format: 'language', default: 'en' }),
    zone: text({ format: 'time-zone', default: 'America/Santiago' }),
    onCall: record({ from: timeOfDay(), until: timeOfDay() }, { optional: true }),
    vehicle: words({ length: [2, 12], optional: true }),
    isDriving: flag({ default: false }),
  }),
  gives: record({ observerId: text() }),
  rules: (on) => [
    on.while(on.sent('body.onCall'), [on.needed('body.phone', on.sent('body.onCall'))]),
    on.needed('body.vehicle', on.is('body.isDriving', true)),
    on.differ('body.onCall.from', 'body.onCall.until'),
  ],
})

const sendChart = endpoint('PUT /sessions/{sessionId}/chart', {
  title: 'Send a finder chart',
  success: 204,
  path: { sessionId },
  who,
  body: {
    'multipart/form-data': record({
      chart: file({ bytes: '2MB', types: ['image/png', 'image/jpeg', 'application/pdf'] }),
      sheet: record({
        title: words({ length: [1, 80] }),
        drawn: instant({ until: '+0s', optional: true }),
        fieldOfView: number({ above: 0, max: 10, title: 'Field of view, in degrees' }),
      }),
      isFinal: flag({ default: false }),
    }),
  },
  lookups: (on) => ({ session: on.lookup(ofOneself) }),
})

const clouds = choice(['clear', 'thin', 'broken', 'overcast'])
const reportNight = endpoint('PUT /telescopes/{telescopeId}/nights/{night}/report', {
  title: 'Report a night',
  success: 204,
  path: { telescopeId: slug, night: day({ from: firstDay, until: '+0d', zone: 'UTC' }) },
  body: record({
    opened: instant(),
    closed: instant(),
    openSeconds: integer({ min: 0, max: 64_800 }),
    clouds,
    sessions: list(
      record(
        {
          sessionId,
          began: instant(),
          ended: instant(),
          seconds: integer({ min: 0 }),
          outcome: choice(['done', 'clouded-out', 'broken-off']),
          why: words({ length: [1, 200], optional: true }),
        },
        { rules: (on) => [on.ascending('began', 'ended')] },
      ),
      { length: [0, 50] },
    ),
    note: words({ length: [0, 2000], optional: true }),
  }),
  rules: (on) => [
    on.ascending('body.opened', 'body.closed'),
    on.gap('body.opened', 'body.closed', { atMost: '18h' }),
    on.inOrder('body.sessions[].began'),
    on.apart('body.sessions[].began', 'body.sessions[].ended'),
    on.distinct('body.sessions[].sessionId'),
    on.sumWithin('body.sessions[].seconds', { atMost: 'body.openSeconds' }),
    on.needed('body.sessions[].why', on.not(on.is('body.sessions[].outcome', 'done'))),
    on.while(on.is('body.clouds', 'overcast'), [on.fits('body.openSeconds', integer({ max: 3600 }))]),
  ],
})

const sendWeather = endpoint('POST /weather', {
  title: 'Send weather, a reading a line',
  success: 202,
  limits: { body: '2MB' },
  body: lines(
    record({
      station: slug,
      at: instant({ from: '-2d', until: '+5m' }),
      wind: number({ min: 0, max: 120, title: 'Wind, in metres a second' }),
      humidity: integer({ min: 0, max: 100 }),
      clouds: choice(['clear', 'thin', 'broken', 'overcast'], { optional: true }),
    }),
    { length: [1, 5000] },
  ),
  rules: (on) => [on.distinct('body[].station', 'body[].at')],
})

/** What operators alone may do. */
const ofOperators = group(
  { who, may: (on) => on.is('who.role', 'operator') },
  { addObserver, reportNight, sendWeather },
)

/** What a server adds to: its journal, and where turns are taken. */
export const observatory = {
  title: 'Observatory',
  version: '1',
  endpoints: {
    listTelescopes,
    showTelescope,
    listSessions,
    bookSession,
    changeSession,
    cancelSession,
    sendChart,
    ...ofOperators,
  },
  identify({ headers }: Head, { keys }: Services) {
    const key = headers.get('authorization')?.replace(/^Bearer /, '')
    return key === undefined ? undefined : keys.find(key)
  },
}
export default intake(observatory)
