/**
 * What is measured: three endpoints with bodies of about 0.2, 0.7 and 10 kB. They stay as they are, so that figures
 * compare.
 */
import { choice, endpoint, flag, instant, integer, list, number, record, text } from 'yosei'

const slug = text({ pattern: /^[a-z][a-z0-9-]+$/, length: [2, 40] })

/** A report of the weather: flat. */
export const report = endpoint('POST /stations/{stationId}/reports', {
  path: { stationId: slug },
  header: { 'x-team': slug },
  body: record({
    station: text({ length: [2, 40] }),
    observed: instant({ from: '2001-01-01T00:00:00Z' }),
    sky: choice(['clear', 'thin', 'broken', 'overcast']),
    cloud: number({ min: 0, max: 1 }),
    humidity: integer({ min: 0, max: 100 }),
    wind: number({ min: 0, below: 150 }),
    domeOpen: flag(),
    note: text({ length: [0, 200], optional: true }),
  }),
})

/** The observatory's booking: two levels, two instants, an e-mail address, twelve elements. */
export const booking = endpoint('POST /telescopes/{telescopeId}/sessions', {
  path: { telescopeId: slug },
  query: { dryRun: flag({ default: false }), limit: integer({ min: 1, max: 50, optional: true }) },
  header: { 'x-team': slug },
  body: record({
    target: record({
      name: text({ length: [1, 80], tidy: ['trim'] }),
      rightAscension: number({ min: 0, below: 24 }),
      declination: number({ min: -90, max: 90 }),
    }),
    window: record({ opens: instant({ from: '2001-01-01T00:00:00Z' }), closes: instant() }),
    exposures: list(
      record({
        filter: choice(['clear', 'red', 'green', 'blue']),
        seconds: number({ above: 0, max: 3600 }),
        count: integer({ min: 1, max: 500 }),
      }),
      { length: [1, 12] },
    ),
    contact: text({ format: 'email' }),
    note: text({ length: [0, 500], optional: true, nullable: true }),
  }),
})

/** A catalogue: a list of records that hold lists. */
export const catalogue = endpoint('PUT /catalogues/{catalogueId}', {
  path: { catalogueId: slug },
  header: { 'x-team': slug },
  body: record({
    title: text({ length: [1, 80] }),
    made: instant(),
    targets: list(
      record({
        name: text({ length: [1, 80] }),
        kind: choice(['star', 'cluster', 'nebula', 'galaxy']),
        place: record({ rightAscension: number({ min: 0, below: 24 }), declination: number({ min: -90, max: 90 }) }),
        magnitude: number({ min: -30, max: 40 }),
        filters: list(text({ length: [1, 10] }), { length: [0, 6] }),
        seen: instant({ optional: true }),
        public: flag(),
      }),
      { length: [1, 500] },
    ),
  }),
})

const filters = ['clear', 'red', 'green', 'blue']
const kinds = ['star', 'cluster', 'nebula', 'galaxy']
const targets = Array.from({ length: 56 }, (_, n) => ({
  name: `KR ${1000 + n * 37}`,
  kind: kinds[n % 4],
  place: { rightAscension: Math.round(n * 4279) / 10_000, declination: Math.round(n * 31_415 - 900_000) / 10_000 },
  magnitude: 4 + (n % 9) / 2,
  filters: filters.slice(0, 1 + (n % 4)),
  ...(n % 3 === 0
    ? { seen: `2031-02-${String((n % 27) + 1).padStart(2, '0')}T04:${String(n).padStart(2, '0')}:00Z` }
    : {}),
  public: n % 2 === 0,
}))

export const cases = [
  {
    name: '0.2 kB',
    endpoint: report,
    target: '/stations/kr-south/reports',
    path: { stationId: 'kr-south' },
    body: {
      station: 'kr-south',
      observed: '2031-03-01T04:30:00Z',
      sky: 'thin',
      cloud: 0.2,
      humidity: 41,
      wind: 3.5,
      domeOpen: true,
      note: 'Calm since midnight, a little haze in the east.',
    },
    wrong: { observed: '2031-02-30T04:30:00Z', sky: 'foggy', humidity: 140, domeOpen: 'yes' },
  },
  {
    name: '0.7 kB',
    endpoint: booking,
    target: '/telescopes/kr-2/sessions?dryRun=true',
    path: { telescopeId: 'kr-2' },
    body: {
      target: { name: 'Lantern Nebula', rightAscension: 5.588, declination: -5.39 },
      window: { opens: '2031-03-03T22:00:00Z', closes: '2031-03-04T01:30:00Z' },
      exposures: Array.from({ length: 12 }, (_, n) => ({ filter: filters[n % 4], seconds: 30 + n, count: n + 1 })),
      contact: 'ada@nebula.example',
    },
    wrong: {
      window: { opens: 'tonight', closes: '2031-03-04T01:30:00Z' },
      target: { name: '', rightAscension: 24, declination: -5.39 },
      contact: 'ada',
    },
  },
  {
    name: '10 kB',
    endpoint: catalogue,
    target: '/catalogues/kr-main',
    path: { catalogueId: 'kr-main' },
    body: { title: 'Targets of the spring', made: '2031-03-01T12:00:00Z', targets },
    wrong: {
      title: '',
      made: 'today',
      targets: [...targets.slice(0, 54), { ...targets[54], kind: 'comet' }, { ...targets[55], magnitude: 99 }],
    },
  },
].map((one) => ({ ...one, wrong: { ...one.body, ...one.wrong } }))
