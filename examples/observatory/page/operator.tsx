/** What callers get wrong, as it happens: a tally that grows, over time, the last rejections, and the turns that are held. */
import { useEffect, useMemo, useRef, useState } from 'react'
import { createRoot } from 'react-dom/client'
import { foldAddress, type JournalEvent } from 'yosei'
import app from '../intake.ts'
import './page.css'

interface Turn {
  readonly scope: string
  readonly key: string
  readonly since: number
}
const groupings = {
  error: ({ endpoint = '' }: JournalEvent, address: string, code: string) => `${endpoint}  ${address} ${code}`,
  endpoint: ({ endpoint = 'none' }: JournalEvent) => endpoint,
  field: (_: JournalEvent, address: string) => address,
  code: (_: JournalEvent, __: string, code: string) => code,
  status: ({ status }: JournalEvent) => String(status),
} as const
/** So many rejections are kept here, and so many rows shown. */
const [mostKept, mostRows] = [5000, 20]
/** The chart has so many bars of so many milliseconds. */
const [bars, span] = [60, 10_000]

function Operator() {
  const [key, setKey] = useState('dome-key')
  const [events, setEvents] = useState<readonly JournalEvent[]>([])
  const [turns, setTurns] = useState<readonly Turn[]>([])
  const [by, setBy] = useState<keyof typeof groupings>('error')
  const [trouble, setTrouble] = useState<string>()
  const [now, setNow] = useState(Date.now)
  /** How many came that are not kept here. */
  const [dropped, setDropped] = useState(0)
  const after = useRef(0)
  useEffect(() => {
    let isOver = false
    const clear = () => {
      after.current = 0
      setEvents([])
      setTurns([])
      setDropped(0)
    }
    const look = async () => {
      while (!isOver) {
        try {
          const response = await fetch(`operator/events?after=${after.current}`, {
            headers: { authorization: `Bearer ${key}` },
          })
          if (isOver) return
          if (response.ok) {
            const came = (await response.json()) as { next: number; events: JournalEvent[]; turns: Turn[] }
            const isAnew = came.next < after.current
            const missed = came.next - (isAnew ? 0 : after.current) - came.events.length
            after.current = came.next
            if (missed > 0) setDropped((count) => count + missed)
            if (came.events.length > 0) setEvents((all) => [...all, ...came.events])
            setTurns(came.turns)
            setTrouble(undefined)
          } else {
            clear()
            setTrouble('This key is not an operator’s: it shows nothing.')
          }
        } catch {
          setTrouble('The observatory does not answer.')
        }
        setNow(Date.now())
        await new Promise((wake) => setTimeout(wake, 500))
      }
    }
    look()
    return () => {
      isOver = true
    }
  }, [key])

  useEffect(() => {
    if (events.length <= mostKept) return
    setDropped((count) => count + events.length - mostKept)
    setEvents(events.slice(-mostKept))
  }, [events])

  const all = useMemo(() => {
    const counts = new Map<string, { rejections: number; errors: number }>()
    for (const event of events) {
      const inEvent = new Set<string>()
      for (const { address, code } of event.errors.length > 0
        ? event.errors
        : [{ address: '', code: String(event.status) }]) {
        const name = groupings[by](event, foldAddress(address), code)
        const count = counts.get(name) ?? { rejections: 0, errors: 0 }
        counts.set(name, count)
        count.errors += event.errors.length > 0 ? 1 : 0
        if (!inEvent.has(name)) count.rejections++
        inEvent.add(name)
      }
    }
    return [...counts].sort(([a, one], [b, two]) => two.rejections - one.rejections || a.localeCompare(b))
  }, [events, by])
  const rows = all.slice(0, mostRows)
  const most = rows[0]?.[1].rejections ?? 1
  const left = [
    ...(all.length > rows.length ? [`${all.length - rows.length} rarer ones are not shown`] : []),
    ...(dropped > 0 ? [`${dropped} older rejections are not counted here; the file of the journal has them`] : []),
  ]
  const chart = Array.from({ length: bars }, (_, index) => {
    const from = Math.floor(now / span - bars + 1 + index) * span
    return events.filter(({ time }) => Date.parse(time) >= from && Date.parse(time) < from + span).length
  })
  const highest = Math.max(1, ...chart)
  return (
    <>
      <header className="sky">
        <h1>What callers get wrong</h1>
        <label>
          operator's key
          <input value={key} onChange={(event) => setKey(event.target.value)} spellCheck={false} autoComplete="off" />
        </label>
        <a href="./">booking</a>
      </header>
      <main className="operator">
        <p role="status" className="faults">
          {trouble}
        </p>
        <section aria-label="Over time">
          <h2>In the last ten minutes</h2>
          <svg
            viewBox={`0 0 ${bars * 10} 70`}
            role="img"
            aria-label={`${chart.reduce((a, b) => a + b, 0)} rejections in ten minutes`}
            className="chart"
          >
            <path d={`M0 60H${bars * 10}`} />
            {chart.map((count, index) => (
              <rect
                key={index}
                x={index * 10 + 1}
                y={60 - (count / highest) * 56}
                width={8}
                height={(count / highest) * 56}
              />
            ))}
            <text x={0} y={69}>
              10 min ago
            </text>
            <text x={bars * 10} y={69} textAnchor="end">
              now, at most {highest} in 10 s
            </text>
          </svg>
        </section>
        <section aria-label="Tally">
          <h2>
            Most often, by{' '}
            <select
              value={by}
              onChange={(event) => setBy(event.target.value as keyof typeof groupings)}
              aria-label="by"
            >
              {Object.keys(groupings).map((one) => (
                <option key={one}>{one}</option>
              ))}
            </select>
          </h2>
          <table className="tally">
            {rows.length > 0 && (
              <thead>
                <tr>
                  <th scope="col">rejections</th>
                  <th scope="col">errors</th>
                  <td />
                  <th scope="col">{by}</th>
                </tr>
              </thead>
            )}
            <tbody>
              {rows.map(([name, { rejections, errors }]) => (
                <tr key={name}>
                  <td>{rejections}</td>
                  <td>{errors}</td>
                  <td>
                    <span className="bar" style={{ width: `${(100 * rejections) / most}%` }} />
                  </td>
                  <th scope="row">{name}</th>
                </tr>
              ))}
            </tbody>
          </table>
          {left.length > 0 && <p className="help">{left.join('; ')}.</p>}
          {rows.length === 0 && (
            <p className="help">Nothing was rejected since this page was opened, nor in the memory of the server.</p>
          )}
        </section>
        <section aria-label="Turns">
          <h2>Turns held now</h2>
          {turns.length === 0 ? <p className="help">none</p> : null}
          <ul>
            {turns.map(({ scope, key: own, since }) => (
              <li key={`${scope} ${own}`}>
                {scope} {own}, for {((now - since) / 1000).toFixed(1)} s
              </li>
            ))}
          </ul>
        </section>
        <section aria-label="Last rejections">
          <h2>The last, and how to try each</h2>
          <ol className="last">
            {[...events]
              .slice(-12)
              .reverse()
              .map((event) => (
                <li key={event.id}>
                  <b>{event.status}</b> <span>{event.endpoint ?? 'no endpoint'}</span>{' '}
                  <time>{event.time.slice(11, 19)}</time>
                  <div>
                    {event.errors
                      .slice(0, 6)
                      .map(({ address, code }) => `${address} ${code}`)
                      .join(', ')}
                  </div>
                  {tryOf(event) && <code>{tryOf(event)}</code>}
                </li>
              ))}
          </ol>
        </section>
      </main>
    </>
  )
}

/** A command that makes such a request again: what was sent is known of fields that are no secrets, and shortened. */
function tryOf({ endpoint, errors }: JournalEvent): string {
  const declared = Object.hasOwn(app.endpoints, endpoint ?? '')
    ? app.endpoints[endpoint as keyof typeof app.endpoints]
    : undefined
  // What a lookup did not find is not told: another path would be no such request.
  const isUntold = errors.some(({ address, sent }) => address.startsWith('path.') && sent === undefined)
  if (!declared || isUntold) return ''
  const target = declared.template.replace(
    /\{([^}]+)\}/g,
    (_, name: string) => errors.find(({ address }) => address === `path.${name}`)?.sent ?? 'kr-2',
  )
  const quoted = (text: string) => `'${text.replaceAll("'", "'\\''")}'`
  const settings = errors.flatMap(({ address, sent }) =>
    sent === undefined || address.startsWith('path.') ? [] : [`--with ${quoted(`${address}=${sent}`)}`],
  )
  return ['npx yosei try intake.ts', declared.method, quoted(target), ...settings.slice(0, 5)].join(' ')
}

createRoot(document.getElementById('root') as HTMLElement).render(<Operator />)
