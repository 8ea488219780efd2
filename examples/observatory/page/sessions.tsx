/** The list of sessions, its filters in the address bar. */
import { useEffect, useState } from 'react'
import type { Observatory } from './night.tsx'
import { inWords } from './outline.ts'

const filters = ['telescope', 'night', 'state', 'sort'] as const
type Filter = (typeof filters)[number]
type Filters = { readonly [F in Filter]: string }
const inAddress = (): Filters => {
  const query = new URLSearchParams(location.search)
  return {
    telescope: query.get('telescope')?.trim() ?? '',
    night: query.get('night')?.trim() ?? '',
    state: query.get('state')?.trim() ?? '',
    sort: query.get('sort')?.trim() ?? '',
  }
}
interface Row {
  readonly sessionId: string
  readonly telescope: string
  readonly team: string
  readonly night: string
}

interface SessionsProps {
  readonly observatory: Observatory
  readonly changes: number
  /** To choose from. */
  readonly telescopes: readonly string[]
}
export function Sessions({ observatory, changes, telescopes }: SessionsProps) {
  const [wanted, setWanted] = useState(inAddress)
  const [rows, setRows] = useState<readonly Row[]>([])
  const [faults, setFaults] = useState<{ readonly [address: string]: string }>({})
  const [hasMore, setMore] = useState(false)
  useEffect(() => {
    const said = filters.filter((one) => wanted[one] !== '')
    let isCurrent = true
    const { telescope, sort, ...others } = Object.fromEntries(said.map((one) => [one, wanted[one]])) as Partial<Filters>
    const sent = {
      ...others,
      ...(telescope ? { telescope: telescope.split(',').map((one) => one.trim()) } : {}),
      ...(sort ? { sort: [sort] } : {}),
      limit: 12,
    }
    observatory.listSessions({ query: sent as never }).then(
      (answer) => {
        if (!isCurrent) return
        if (answer.outcome === 'rejected')
          return setFaults(
            Object.fromEntries(
              answer.errors.map(({ address, message }) => [address.replace(/^query\.(\w+).*/, '$1'), inWords(message)]),
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
  useEffect(() => {
    const back = () => setWanted(inAddress())
    window.addEventListener('popstate', back)
    return () => window.removeEventListener('popstate', back)
  }, [])
  /** Each filter is a step that one can go back. */
  const set = (filter: Filter) => (event: { target: { value: string } }) => {
    const next = { ...wanted, [filter]: event.target.value }
    const query = new URLSearchParams(filters.filter((one) => next[one] !== '').map((one) => [one, next[one]]))
    history.pushState(null, '', `${location.pathname}${query.size > 0 ? `?${query}` : ''}`)
    setWanted(next)
  }
  return (
    <section className="sessions" aria-label="Sessions">
      <h2>Sessions</h2>
      <div className="filters">
        <label>
          telescope{' '}
          <select value={wanted.telescope} onChange={set('telescope')} aria-describedby="filter-faults">
            <option value="">all</option>
            {[...new Set([...telescopes, wanted.telescope])].map(
              (one) => one !== '' && <option key={one}>{one}</option>,
            )}
          </select>
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
