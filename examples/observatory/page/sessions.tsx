/** The list of sessions, its filters in the address bar. */
import { useEffect, useState } from 'react'
import type { Observatory } from './night.tsx'

const filters = ['telescope', 'night', 'state', 'sort'] as const
type Filter = (typeof filters)[number]
type Filters = { readonly [F in Filter]: string }
const inAddress = (): Filters => {
  const query = new URLSearchParams(location.search)
  return {
    telescope: query.get('telescope') ?? '',
    night: query.get('night') ?? '',
    state: query.get('state') ?? '',
    sort: query.get('sort') ?? '',
  }
}
interface Row {
  readonly sessionId: string
  readonly telescope: string
  readonly team: string
  readonly night: string
}

export function Sessions({ observatory, changes }: { observatory: Observatory; changes: number }) {
  const [wanted, setWanted] = useState(inAddress)
  const [rows, setRows] = useState<readonly Row[]>([])
  const [faults, setFaults] = useState<{ readonly [address: string]: string }>({})
  const [hasMore, setMore] = useState(false)
  useEffect(() => {
    const said = filters.filter((one) => wanted[one] !== '')
    const query = new URLSearchParams(said.map((one) => [one, wanted[one]]))
    history.replaceState(null, '', `${location.pathname}${query.size > 0 ? `?${query}` : ''}${location.hash}`)
    let isCurrent = true
    const { telescope, sort, ...others } = Object.fromEntries(said.map((one) => [one, wanted[one]])) as Partial<Filters>
    const sent = {
      ...others,
      ...(telescope ? { telescope: telescope.split(',') } : {}),
      ...(sort ? { sort: [sort] } : {}),
      limit: 12,
    }
    observatory.listSessions({ query: sent as never }).then(
      (answer) => {
        if (!isCurrent) return
        if (answer.outcome === 'rejected')
          return setFaults(
            Object.fromEntries(
              answer.errors.map(({ address, message }) => [address.replace(/^query\.(\w+).*/, '$1'), message]),
            ),
          )
        setFaults({})
        setRows(answer.value.sessions)
        setMore(answer.value.cursor !== undefined)
      },
      () => isCurrent && setFaults({ telescope: 'the observatory does not answer' }),
    )
    return () => {
      isCurrent = false
    }
  }, [observatory, wanted, changes])
  const set = (filter: Filter) => (event: { target: { value: string } }) =>
    setWanted({ ...wanted, [filter]: event.target.value })
  return (
    <section className="sessions" aria-label="Sessions">
      <h2>Sessions</h2>
      <div className="filters">
        <label>
          telescope{' '}
          <input
            value={wanted.telescope}
            onChange={set('telescope')}
            placeholder="all"
            aria-describedby="filter-faults"
            spellCheck={false}
          />
        </label>
        <label>
          night <input type="date" value={wanted.night} onChange={set('night')} aria-describedby="filter-faults" />
        </label>
        <label>
          state{' '}
          <select value={wanted.state} onChange={set('state')} aria-describedby="filter-faults">
            {['', 'booked', 'observing', 'done', 'clouded-out'].map((one) => (
              <option key={one} value={one}>
                {one === '' ? 'booked by default' : one}
              </option>
            ))}
          </select>
        </label>
        <label>
          sorted by{' '}
          <select value={wanted.sort} onChange={set('sort')} aria-describedby="filter-faults">
            {[
              ['', 'night'],
              ['-opens', 'night, the last first'],
              ['team', 'team'],
            ].map(([value, label]) => (
              <option key={value} value={value}>
                {label}
              </option>
            ))}
          </select>
        </label>
      </div>
      <p className="faults" id="filter-faults" role="status">
        {Object.entries(faults)
          .map(([name, message]) => `${name} ${message}`)
          .join('; ')}
      </p>
      <table>
        <thead>
          <tr>
            {['session', 'telescope', 'team', 'night'].map((name) => (
              <th key={name} scope="col">
                {name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map(({ sessionId, telescope, team, night }) => (
            <tr key={sessionId}>
              <td>{sessionId}</td>
              <td>{telescope}</td>
              <td>{team}</td>
              <td>{night}</td>
            </tr>
          ))}
        </tbody>
      </table>
      {rows.length === 0 && Object.keys(faults).length === 0 && <p className="help">none</p>}
      {hasMore && <p className="help">and more: narrow it down</p>}
    </section>
  )
}
