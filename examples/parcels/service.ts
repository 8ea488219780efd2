/** What the parcel service does with requests that are accepted: it checks nothing that the intake says. */
import { type EntityTag, give, intake, type Journal, refuse, serve } from 'yosei'
import { type Parcel, parcels } from './intake.ts'
import type { Outside } from './services.ts'

export interface About {
  readonly journal?: Journal
  /** The clock; that of the machine by default. */
  readonly now?: () => Date
}
const tagOf = (version: number) => ({ headers: { etag: `"${version}"` } })
const shown = ({ id, state, declared }: Parcel) => ({ id, state, ...declared })
const numberOf = (id: string) => Number(id.slice(2))
/** Whether a client means this version (RFC 9110, section 13.1). */
const isMeant = (tags: '*' | readonly EntityTag[] | undefined, version: number) =>
  tags === undefined || tags === '*' || tags.some(({ tag }) => tag === String(version))
const changed = { status: 412, code: 'changed', message: 'changed', at: 'header.if-match' } as const

export function makeService(outside: Outside, { now, journal }: About = {}) {
  const { query, turns } = outside
  const app = intake({ ...parcels, turns, ...(journal ? { journal } : {}) })
  const setState = (id: string, state: string) =>
    query('update parcels set state = $2, version = version + 1 where id = $1', [numberOf(id), state])
  return serve(
    app,
    {
      createParcels: ({ body }, { pieces, who }) =>
        pieces(body.parcels, async (parcel) => {
          const [made] = await query<{ id: number }>(
            'insert into parcels (shipper, reference, declared) values ($1, $2, $3) on conflict do nothing returning id',
            [who.name, parcel.reference, JSON.stringify(parcel)],
          )
          // Another request may have come between the lookup and this.
          if (!made)
            return refuse({
              status: 409,
              code: 'reference_used',
              message: 'reference_used',
              at: 'body.parcels[].reference',
            })
          return { id: `p-${String(made.id).padStart(6, '0')}`, reference: parcel.reference }
        }),
      async listParcels({ query: { state, from, until, sort, limit } }, { who }) {
        const by = sort.map(({ key, descending }) => `${key}${descending ? ' desc' : ''}`).join(', ')
        const rows = await query<Parcel>(
          `select * from parcels where ($1 or shipper = $2) and ($3::text[] is null or state = any($3))
             and announced between coalesce($4::date, announced) and coalesce($5::date, announced)
             order by ${by} limit $6`,
          [who.role === 'operator', who.name, state ?? null, from ?? null, until ?? null, limit],
        )
        return { parcels: rows.map((one) => shown({ ...one, id: `p-${String(one.id).padStart(6, '0')}` })) }
      },
      showParcel: ({ header }, { found: { parcel } }) =>
        header['if-none-match'] !== undefined && isMeant(header['if-none-match'], parcel.version)
          ? give(undefined, { status: 304, ...tagOf(parcel.version) })
          : give(shown(parcel), tagOf(parcel.version)),
      async changeParcel({ header, body }, { found: { parcel } }) {
        if (!isMeant(header['if-match'], parcel.version)) return refuse(changed)
        const declared = { ...parcel.declared, ...body }
        const [row] = await query<{ version: number }>(
          'update parcels set declared = $3, version = version + 1 where id = $1 and version = $2 returning version',
          [numberOf(parcel.id), parcel.version, JSON.stringify(declared)],
        )
        return row ? give(shown({ ...parcel, declared }), tagOf(row.version)) : refuse(changed)
      },
      async cancelParcel({ header }, { found: { parcel } }) {
        if (!isMeant(header['if-match'], parcel.version)) return refuse(changed)
        await setState(parcel.id, 'cancelled')
        return undefined
      },
      async declareCustoms({ body }, { found: { parcel } }) {
        await query(
          'insert into customs values ($1, $2) on conflict (parcel) do update set declared = excluded.declared',
          [numberOf(parcel.id), JSON.stringify(body)],
        )
      },
      async bookPickup({ body: { depot, at, parcels } }) {
        const [row] = await query<{ id: number }>(
          'insert into pickups (depot, at, parcels) values ($1, $2, $3) returning id',
          [depot, at.toISOString(), JSON.stringify(parcels)],
        )
        return { pickup: Number(row?.id), parcels: parcels.length }
      },
      async sendLabel({ body: { label, sheet } }, { found: { parcel } }) {
        await query(
          `insert into labels values ($1, $2, $3, $4)
           on conflict (parcel) do update set type = excluded.type, sheet = excluded.sheet, bytes = excluded.bytes`,
          [numberOf(parcel.id), label.type, JSON.stringify(sheet), await label.bytesNow()],
        )
      },
      async showLabel({ header: { range } }, { found: { parcel } }) {
        const [row] = await query<{ type: string; bytes: Uint8Array }>(
          'select type, bytes from labels where parcel = $1',
          [numberOf(parcel.id)],
        )
        if (!row) return refuse({ status: 404, code: 'no_label', message: 'no_such_parcel', at: 'path.id' })
        const { length } = row.bytes
        const [wanted, more] = range ?? []
        // Several ranges may be answered as none (RFC 9110, section 14.2).
        if (!wanted || more) return new Response(new Uint8Array(row.bytes), { headers: { 'content-type': row.type } })
        const [first, last] =
          'suffix' in wanted
            ? [Math.max(0, length - wanted.suffix), length - 1]
            : [wanted.first, Math.min(wanted.last ?? length, length - 1)]
        if (first > last)
          return refuse({
            status: 416,
            code: 'unsatisfiable',
            message: 'unsatisfiable',
            at: 'header.range',
            headers: { 'content-range': `bytes */${length}` },
          })
        return new Response(new Uint8Array(row.bytes.slice(first, last + 1)), {
          status: 206,
          headers: { 'content-type': row.type, 'content-range': `bytes ${first}-${last}/${length}` },
        })
      },
      async track({ body }) {
        for (const { parcel, at, event, place } of body) {
          await query('insert into tracking values ($1, $2, $3, $4)', [
            numberOf(parcel),
            at.toISOString(),
            event,
            JSON.stringify(place ?? null),
          ])
          if (event === 'collected' || event === 'delivered') await setState(parcel, event)
        }
        return { taken: body.length }
      },
      async carrierHook({ body: { event, parcel } }) {
        await setState(parcel, event)
      },
      async setDepot({ path, body: { zone, hours, most, area } }) {
        await query(
          `insert into depots values ($1, $2, $3, $4, $5)
           on conflict (id) do update set zone = excluded.zone, hours = excluded.hours, most = excluded.most, area = excluded.area`,
          [path.depot, zone, JSON.stringify(hours), most, JSON.stringify(area ?? null)],
        )
      },
      async setTariff({ path, body }) {
        await query(
          'insert into tariffs values ($1, $2, $3) on conflict (service, starts) do update set tariff = excluded.tariff',
          [path.service, body.from, JSON.stringify(body)],
        )
      },
      async listDepots({ query: { bbox } }) {
        const rows = await query<{ id: string; zone: string; area: [number, number][] | null }>(
          'select id, zone, hours, area from depots order by id',
        )
        if (!bbox) return { depots: rows }
        const [south, west, north, east] = bbox
        const isIn = ([y, x]: [number, number]) => y >= south && y <= north && x >= west && x <= east
        return { depots: rows.filter(({ area }) => area?.some(isIn)) }
      },
    },
    { services: outside, now },
  )
}
