import { useEffect, useState } from 'react'
import type { AnyVerdict } from 'yosei-cli/book'
import { type Draft, judgeDraft, type Row, rowsOf } from './draft.js'
import { readShelf, type Shelved } from './samples.js'

type Shelf = Awaited<ReturnType<typeof readShelf>>

export function App() {
  const [shelf, setShelf] = useState<Shelf>([])
  const [chosen, setChosen] = useState<Shelved>()
  const [draft, setDraft] = useState<Draft>()

  const choose = (one: Shelved | undefined) => {
    setChosen(one)
    setDraft(one?.draft)
  }
  useEffect(() => {
    readShelf().then((read) => {
      setShelf(read)
      choose(read[0]?.samples[0])
    })
  }, [])

  return (
    <div className="page">
      <header className="masthead">
        <h1>Observatory</h1>
        <p>Choose a request, change it, and read the verdict beside it.</p>
      </header>
      <nav aria-label="Samples">
        {shelf.map(({ title, samples }) => (
          <section key={title}>
            <h2>{title}</h2>
            {samples.map((one) => (
              <button type="button" key={one.sample.title} aria-current={one === chosen} onClick={() => choose(one)}>
                <span className={`stamp ${one.status === 'accepted' ? 'good' : 'bad'}`}>
                  {one.status === 'accepted' ? 'ok' : one.status}
                </span>
                <span>{one.sample.title}</span>
                {one.asWritten ? null : <em>not as written</em>}
              </button>
            ))}
          </section>
        ))}
      </nav>
      {draft && <Request draft={draft} onChange={setDraft} />}
      {draft && <Judgement draft={draft} />}
    </div>
  )
}

const methods = ['GET', 'POST', 'PATCH', 'PUT', 'DELETE']

function Request({ draft, onChange }: { draft: Draft; onChange: (draft: Draft) => void }) {
  const set = (part: keyof Draft) => (event: { target: { value: string } }) =>
    onChange({ ...draft, [part]: event.target.value })
  const lines = (text: string) => text.split('\n').length
  return (
    <main>
      <h2>Request</h2>
      <div className="line">
        <label>
          Method
          <select value={draft.method} onChange={set('method')}>
            {methods.map((method) => (
              <option key={method}>{method}</option>
            ))}
          </select>
        </label>
        <label className="wide">
          Path and query
          <input value={draft.target} onChange={set('target')} spellCheck={false} />
        </label>
      </div>
      <label>
        Header fields
        <textarea
          value={draft.headers}
          onChange={set('headers')}
          rows={Math.max(2, lines(draft.headers))}
          spellCheck={false}
        />
      </label>
      <label className="grow">
        Body
        <textarea
          className="body"
          value={draft.body}
          onChange={set('body')}
          rows={lines(draft.body)}
          spellCheck={false}
        />
      </label>
      <label>
        Clock of the judgement
        <input value={draft.clock} onChange={set('clock')} spellCheck={false} />
      </label>
    </main>
  )
}

function Judgement({ draft }: { draft: Draft }) {
  const [verdict, setVerdict] = useState<AnyVerdict>()
  useEffect(() => {
    let current = true
    judgeDraft(draft).then((judged) => current && setVerdict(judged))
    return () => {
      current = false
    }
  }, [draft])
  if (!verdict) return null
  const good = verdict.outcome !== 'rejected'
  return (
    <aside aria-live="polite">
      <h2>Verdict</h2>
      <p className={`status ${good ? 'good' : 'bad'}`}>
        <output>{good ? verdict.outcome : verdict.status}</output>
        <span>{summary(verdict)}</span>
      </p>
      <table>
        <thead>
          <tr>
            <th>Field</th>
            <th>Sent</th>
            <th>Read as</th>
          </tr>
        </thead>
        <tbody>
          {rowsOf(verdict).map((row) => (
            <FieldRow key={row.address} row={row} />
          ))}
        </tbody>
      </table>
    </aside>
  )
}

function summary(verdict: AnyVerdict): string {
  if (verdict.outcome !== 'rejected') return `by ${verdict.endpoint}`
  const { allow } = verdict.headers
  if (allow) return `this path takes ${allow}`
  if (verdict.stage === 'match') return 'there is nothing at this path'
  const count = verdict.errors.length + verdict.more
  return `${count} ${count === 1 ? 'error' : 'errors'}${verdict.endpoint ? `, by ${verdict.endpoint}` : ''}`
}

function FieldRow({ row: { address, reading, errors } }: { row: Row }) {
  return (
    <>
      <tr className={errors.length > 0 ? 'faulty' : undefined} data-address={address}>
        <th scope="row">{address}</th>
        <td>{show(reading?.sent)}</td>
        <td>
          {show(reading?.read)}
          {reading?.how === 'default' ? <small> by default</small> : null}
        </td>
      </tr>
      {errors.map((error) => (
        <tr className="error" key={error} data-error-at={address}>
          <td colSpan={3}>{error}</td>
        </tr>
      ))}
    </>
  )
}

function show(value: unknown): string {
  if (value === undefined) return ''
  if (value instanceof Date) return value.toISOString().replace('.000Z', 'Z')
  return typeof value === 'string' && value !== '' ? value : JSON.stringify(value)
}
