/** What the intake asks, and its handlers do, over PostgreSQL. Its constraints have the last word. */
import { createHash } from 'node:crypto'
import type { Caller, Earlier, Services, State, Stored } from '../intake.ts'
import { keys, quota, telescopes } from '../services.ts'
import type { Database } from './database.ts'

const digestOf = (key: string) => createHash('sha256').update(key).digest('base64url')

interface Row {
  readonly id: string | number
  readonly telescope: string
  readonly team: string
  readonly night: string
  readonly state: State
  readonly booked: object
  readonly version: number
}
const columns = `id, telescope, team, to_char(night, 'YYYY-MM-DD') as night, state, booked, version`
const sessionIdOf = (id: string | number) => `s-${String(id).padStart(6, '0')}`
const idOf = (sessionId: string) => Number(sessionId.slice(2))
const stored = ({ id, booked, ...row }: Row): Stored => ({
  ...row,
  sessionId: sessionIdOf(id),
  ...(Object.keys(booked).length > 0 ? { booked: revived(booked) } : {}),
})

/** What was kept as JSON, with its instants as they were read. */
function revived(booked: object): object {
  const { window } = booked as { readonly window?: { readonly opens: string; readonly closes: string } }
  return window ? { ...booked, window: { opens: new Date(window.opens), closes: new Date(window.closes) } } : booked
}

/** What a constraint says; what is none is thrown on. */
function takenBy(error: unknown): 'night' | 'quota' | 'key' {
  const { code, constraint, message = '' } = error as { code?: string; constraint?: string; message?: string }
  const broken = constraint ?? /"(\w+)"/.exec(message)?.[1]
  if (code === '23505' && broken === 'one_session_a_night') return 'night'
  if (code === '23505' && broken === 'one_booking_a_key') return 'key'
  // No slot was left, or another booking of the team took it meanwhile.
  if (code === '23502' || (code === '23505' && broken === 'quota')) return 'quota'
  throw error
}

/** The first slot that a team has left in a night: none if its quota is spent. */
const freeSlot = (team: string, night: string, but = 'null') => `(
  select min(slot) from generate_series(1, ${quota}) slot where not exists (
    select from sessions taken where taken.team = ${team} and taken.night = ${night}::date and taken.slot = slot.slot
      and taken.state <> 'cancelled' and taken.id is distinct from ${but}))`
/** So often a slot is looked for that another booking takes at the same moment. */
const tries = quota + 1

/** Takes a slot, and looks for another as long as others take theirs at the same moment. */
async function slotted<T>(take: () => Promise<T>): Promise<T | { readonly taken: 'night' | 'quota' | 'key' }> {
  for (let attempt = 1; ; attempt++)
    try {
      return await take()
    } catch (error) {
      const taken = takenBy(error)
      const isRace = taken === 'quota' && (error as { code?: string }).code === '23505'
      if (!isRace || attempt >= tries) return { taken }
    }
}

export function servicesOver({ rows }: Database): Services {
  const one = async <T>(sql: string, ...values: readonly unknown[]) => (await rows<T>(sql, values))[0]
  return {
    keys: { find: (key) => one<Caller>('select team, role from callers where key_digest = $1', digestOf(key)) },
    telescopes: {
      list: () => rows('select id, aperture from telescopes order by id'),
      find: (id) => one('select id, aperture from telescopes where id = $1', id),
    },
    sessions: {
      async list({ telescope, night, state, from, until, sort, offset, limit }) {
        const order = sort.map(
          ({ by, isBackwards }) => `${by === 'team' ? 'team' : 'night'} ${isBackwards ? 'desc' : 'asc'}`,
        )
        const found = await rows<Row>(
          `select ${columns} from sessions where state = $1
             and ($2::text[] is null or telescope = any($2)) and ($3::date is null or night = $3)
             and ($4::timestamptz is null or night >= $4::date) and ($5::timestamptz is null or night <= $5::date)
           order by ${[...order, 'id'].join(', ')} offset $6 limit $7`,
          [state, telescope ?? null, night ?? null, from ?? null, until ?? null, offset, limit],
        )
        return found.map(stored)
      },
      async nights(telescope, from, until) {
        const found = await rows<{ night: string }>(
          `select to_char(night, 'YYYY-MM-DD') as night from sessions
           where telescope = $1 and night between $2 and $3 and state <> 'cancelled' order by sessions.night`,
          [telescope, from, until],
        )
        return found.map(({ night }) => night)
      },
      async find(sessionId) {
        const row = await one<Row>(
          `select ${columns} from sessions where id = $1 and state <> 'cancelled'`,
          idOf(sessionId),
        )
        return row && stored(row)
      },
      async at(telescope, night) {
        const where = `telescope = $1 and night = $2 and state <> 'cancelled'`
        const row = await one<Row>(`select ${columns} from sessions where ${where}`, telescope, night)
        return row && stored(row)
      },
      async left(team, night) {
        const row = await one<{ count: string }>(
          `select count(*) from sessions where team = $1 and night = $2 and state <> 'cancelled'`,
          team,
          night,
        )
        return quota - Number(row?.count)
      },
      async earlier(team, key) {
        const row = await one<Omit<Earlier, 'sessionId'> & { readonly id: string }>(
          `select id, to_char(night, 'YYYY-MM-DD') as night, version, fingerprint from sessions where team = $1 and own_key = $2`,
          team,
          key,
        )
        return row && { ...row, sessionId: sessionIdOf(row.id) }
      },
      async add({ telescope, team, night, booked, key = null, fingerprint = null }) {
        return slotted(async () => {
          const row = await one<Row>(
            `insert into sessions (telescope, team, night, slot, booked, own_key, fingerprint)
             values ($1, $2, $3, ${freeSlot('$2', '$3')}, $4, $5, $6) returning ${columns}`,
            telescope,
            team,
            night,
            JSON.stringify(booked),
            key,
            fingerprint,
          )
          const { id, version } = row as Row
          return { sessionId: sessionIdOf(id), version }
        })
      },
      async change(sessionId, { booked, night }, version) {
        const changed = await slotted(async () => {
          const row = await one<Row>(
            `update sessions set booked = $2, version = version + 1, night = $3,
               slot = case when night = $3::date then slot else ${freeSlot('team', '$3', 'sessions.id')} end
             where id = $1 and version = $4 and state <> 'cancelled' returning ${columns}`,
            idOf(sessionId),
            JSON.stringify(booked),
            night,
            version,
          )
          return row ? stored(row) : ({ taken: 'version' } as const)
        })
        return 'taken' in changed && changed.taken === 'key' ? { taken: 'quota' } : (changed as Stored)
      },
      async cancel(sessionId, version) {
        const row = await one(
          `update sessions set state = 'cancelled', version = version + 1
           where id = $1 and version = coalesce($2, version) and state <> 'cancelled' returning id`,
          idOf(sessionId),
          version ?? null,
        )
        return row !== undefined
      },
      async addChart(sessionId, { type, bytes, sheet, isFinal }) {
        const row = await one(
          `insert into charts (session, type, bytes, sheet, is_final)
           select id, $2, $3, $4, $5 from sessions where id = $1 and state <> 'cancelled'
           on conflict (session) do update set type = $2, bytes = $3, sheet = $4, is_final = $5 returning session`,
          idOf(sessionId),
          type,
          Buffer.from(bytes),
          JSON.stringify(sheet),
          isFinal,
        )
        return row !== undefined
      },
    },
    observers: {
      async add(observer) {
        const row = await one<{ id: string }>(
          'insert into observers (observer) values ($1) returning id',
          JSON.stringify(observer),
        )
        return { observerId: `o-${row?.id}` }
      },
    },
    reports: {
      async put(telescope, night, report) {
        await one(
          `insert into reports values ($1, $2, $3) on conflict (telescope, night) do update set report = $3`,
          telescope,
          night,
          JSON.stringify(report),
        )
      },
    },
    weather: {
      async add(readings) {
        await rows(
          `insert into weather select reading->>'station', (reading->>'at')::timestamptz, reading
           from jsonb_array_elements($1::jsonb) reading on conflict (station, at) do nothing`,
          [JSON.stringify(readings)],
        )
      },
    },
  }
}

/** The telescopes, keys and first sessions of the demonstration: all made up. */
export async function seed({ rows }: Database, sessions: readonly Seeded[] = []): Promise<void> {
  for (const { id, aperture } of telescopes)
    await rows('insert into telescopes values ($1, $2) on conflict do nothing', [id, aperture])
  for (const [key, { team, role }] of keys)
    await rows('insert into callers values ($1, $2, $3) on conflict do nothing', [digestOf(key), team, role])
  const [some] = await rows('select from sessions limit 1')
  for (const { telescope, team, night, slot, window } of some ? [] : sessions)
    await rows(
      `insert into sessions (telescope, team, night, slot, booked) values ($1, $2, $3, $4, $5) on conflict do nothing`,
      [telescope, team, night, slot, JSON.stringify({ window })],
    )
}
export interface Seeded {
  readonly telescope: string
  readonly team: string
  readonly night: string
  readonly slot: number
  readonly window: { readonly opens: string; readonly closes: string }
}
