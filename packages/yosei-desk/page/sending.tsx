/** The request at a running server: what came, beside the verdict. */
import { useEffect, useRef, useState } from 'react'
import type { Bench, Draft, Judged, Sent } from '../src/terms.ts'

interface SendingProps {
  readonly bench: Bench
  readonly draft: Draft
  readonly judged: Judged
  readonly base: string
  /** Counts how often it was asked for: each time its first field has the focus. */
  readonly asked: number
  readonly onBase: (base: string) => void
  readonly onClose: () => void
}
export function Sending({ bench, draft, judged, base, asked, onBase, onClose }: SendingProps) {
  const first = useRef<HTMLInputElement>(null)
  useEffect(() => {
    if (asked === 0) return
    first.current?.focus({ preventScroll: true })
    first.current?.scrollIntoView({ block: 'center' })
  }, [asked])
  const [times, setTimes] = useState(1)
  const [came, setCame] = useState<readonly Sent[]>()
  const [trouble, setTrouble] = useState<string>()
  const [isUnderWay, setUnderWay] = useState(false)
  const send = async () => {
    setUnderWay(true)
    setTrouble(undefined)
    try {
      setCame(await bench.send?.({ draft, base, times }))
    } catch (error) {
      setCame(undefined)
      setTrouble((error as Error).message)
    }
    setUnderWay(false)
  }
  const counts = new Map<string, number>()
  for (const { status, trouble: why } of came ?? []) {
    const key = String(status ?? why)
    counts.set(key, (counts.get(key) ?? 0) + 1)
  }
  return (
    <section className="station sending" aria-label="At a server">
      <form
        onSubmit={(event) => {
          event.preventDefault()
          send()
        }}
      >
        <label className="wide">
          server{' '}
          <input
            ref={first}
            value={base}
            onChange={(event) => onBase(event.target.value)}
            placeholder="http://127.0.0.1:8080"
            spellCheck={false}
            required
          />
        </label>
        <label>
          times{' '}
          <input
            type="number"
            min={1}
            max={200}
            value={times}
            onChange={(event) => setTimes(Math.max(1, Math.min(200, event.target.valueAsNumber || 1)))}
          />
        </label>
        <button type="submit" disabled={isUnderWay}>
          send
        </button>
        <button type="button" className="quiet" onClick={onClose}>
          close
        </button>
      </form>
      {draft.now !== undefined && draft.now !== '' && (
        <p className="hint">Judged by {draft.now}; the server judges by now.</p>
      )}
      <div aria-live="polite">
        {trouble && <p className="bad">{trouble}</p>}
        {came && came.length > 1 && <p>{[...counts].map(([status, count]) => `${count} × ${status}`).join(', ')}</p>}
        {came && (
          <ol className="came">
            {came.slice(0, 50).map((one, index) => (
              <Came key={index} sent={one} judged={judged} />
            ))}
          </ol>
        )}
      </div>
    </section>
  )
}

function Came({ sent: { status, trouble, took, errors = [] }, judged }: { sent: Sent; judged: Judged }) {
  const isExpected = judged.outcome === 'rejected' ? status === judged.status : status !== undefined && status < 400
  const wanted = new Set(judged.errors.map(({ address, code }) => `${address} ${code}`))
  const got = new Set(errors.map(({ address, code }) => `${address} ${code}`))
  const missing = errors.length > 0 || judged.outcome === 'rejected' ? [...wanted].filter((one) => !got.has(one)) : []
  const others = [...got].filter((one) => !wanted.has(one))
  return (
    <li>
      <b className={status !== undefined && status < 400 ? 'good' : 'bad'}>{status ?? trouble}</b>
      {took !== undefined && <small> {took.toFixed(0)} ms</small>}
      {isExpected && missing.length + others.length === 0 ? (
        <small> as the verdict</small>
      ) : (
        <em>
          {' '}
          not as the verdict{isExpected ? '' : ` (${judged.outcome === 'rejected' ? judged.status : 'accepted'})`}
        </em>
      )}
      {others.map((one) => (
        <div key={one}>
          + <code>{one}</code>
        </div>
      ))}
      {missing.map((one) => (
        <div key={one}>
          − <code>{one}</code>
        </div>
      ))}
    </li>
  )
}
