/** The answer as it would go out. */
import { useEffect, useState } from 'react'
import type { Answer as Answered, Bench, Draft, Judged } from '../src/terms.ts'

const forms = { JSON: 'application/problem+json', page: 'text/html', text: 'text/plain' } as const

export function Answer({
  bench,
  draft,
  judged,
  languages,
}: {
  bench: Bench
  draft: Draft
  judged: Judged
  languages: readonly string[]
}) {
  const [form, setForm] = useState<keyof typeof forms>('JSON')
  const [language, setLanguage] = useState(languages[0] ?? 'en')
  const [answer, setAnswer] = useState<{ readonly came: Answered; readonly form: keyof typeof forms }>()
  const isRejected = judged.outcome === 'rejected'
  useEffect(() => {
    if (!isRejected) return
    let isCurrent = true
    bench.answer(draft, { accept: forms[form], language }).then(
      (came) => isCurrent && setAnswer({ came, form }),
      () => undefined,
    )
    return () => {
      isCurrent = false
    }
  }, [bench, draft, form, language, isRejected])
  if (!isRejected)
    return (
      <section className="station" aria-label="answer">
        <p>
          {judged.outcome === 'accepted'
            ? `The handler answers, with ${judged.status ?? 200} by default. It gets:`
            : 'The verdict is pending: give services that lookups can ask.'}
        </p>
        <pre>{JSON.stringify(judged.input, null, 2)}</pre>
      </section>
    )
  return (
    <section className="station" aria-label="answer">
      <p className="choices">
        <label>
          as{' '}
          <select
            aria-label="the form of the answer"
            value={form}
            onChange={(event) => setForm(event.target.value as keyof typeof forms)}
          >
            {Object.keys(forms).map((one) => (
              <option key={one}>{one}</option>
            ))}
          </select>
        </label>
        <label>
          in{' '}
          <select
            aria-label="the language of the answer"
            value={language}
            onChange={(event) => setLanguage(event.target.value)}
          >
            {languages.map((one) => (
              <option key={one}>{one}</option>
            ))}
          </select>
        </label>
      </p>
      {answer && (
        <>
          <pre>
            <b>HTTP/1.1 {answer.came.status}</b>
            {'\n'}
            {answer.came.headers.map(([name, value]) => `${name}: ${value}\n`).join('')}
            {answer.form === 'page' ? '' : `\n${laidOut(answer.came.body)}`}
          </pre>
          {answer.form === 'page' && <iframe title="The answer as a page" sandbox="" srcDoc={answer.came.body} />}
        </>
      )}
    </section>
  )
}

function laidOut(body: string): string {
  try {
    return JSON.stringify(JSON.parse(body), null, 2)
  } catch {
    return body
  }
}
