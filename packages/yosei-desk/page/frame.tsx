/** What stands around the ledger: above it the verdict, the clock and who asks; below it the line that has the focus. */
import type { Draft, Judged } from '../src/terms.ts'
import type { Line } from './model/lines.ts'
import { isJson, statusOf, summaryOf } from './model/verdicts.ts'
import { wordsOf } from './model/words.ts'

interface MastheadProps {
  readonly title: string
  /** Method and template of the endpoint, or of the nearest if there is none. */
  readonly about: string | undefined
  readonly isNearest: boolean
  readonly sample: string | undefined
  readonly judged: Judged | undefined
  readonly isRail: boolean
  readonly keys: string
  readonly onRail: () => void
  readonly onActions: () => void
}
export function Masthead({ title, about, isNearest, sample, judged, isRail, keys, onRail, onActions }: MastheadProps) {
  return (
    <header className="masthead">
      <button
        type="button"
        className="quiet"
        aria-expanded={isRail}
        onClick={onRail}
        aria-label="Endpoints and samples"
      >
        <svg viewBox="0 0 16 16" width="15" height="15" aria-hidden="true">
          <path d="M1 3.5h14M1 8h14M1 12.5h14" fill="none" stroke="currentColor" />
        </svg>
      </button>
      <div className="title">
        <h1>{title}</h1>
        <p>
          {isNearest && about !== undefined && <span>the nearest is</span>}
          {about !== undefined && <code>{about}</code>}
          {sample !== undefined && <span>{sample}</span>}
        </p>
      </div>
      {judged && (
        <output className="verdict" aria-live="polite" data-outcome={judged.outcome}>
          <b>{statusOf(judged)}</b>
          <span>{summaryOf(judged)}</span>
        </output>
      )}
      <button type="button" onClick={onActions} aria-haspopup="dialog">
        actions <kbd>{keys}</kbd>
      </button>
    </header>
  )
}

interface AboutProps {
  readonly draft: Draft
  readonly hasWho: boolean
  readonly isSending: boolean
  readonly onChange: (more: Partial<Draft>, what: string) => void
  readonly onFill: (which: 'smallest' | 'fullest') => void
  /** If it can be sent, and saved. */
  readonly onSend: (() => void) | undefined
  readonly onSave: (() => void) | undefined
}
export function About({ draft, hasWho, isSending, onChange, onFill, onSend, onSave }: AboutProps) {
  return (
    <div className="about">
      <label>
        clock
        <input
          value={draft.now ?? ''}
          placeholder="now"
          spellCheck={false}
          aria-invalid={draft.now !== undefined && Number.isNaN(Date.parse(draft.now)) ? true : undefined}
          onChange={(event) => onChange({ now: event.target.value }, 'now')}
        />
      </label>
      {hasWho && (
        <label className="wide">
          who asks
          <input
            value={draft.who ?? ''}
            placeholder="whoever the request says"
            spellCheck={false}
            aria-invalid={draft.who !== undefined && !isJson(draft.who) ? true : undefined}
            onChange={(event) => onChange({ who: event.target.value }, 'who')}
          />
        </label>
      )}
      <span className="choices">
        <button type="button" className="quiet" onClick={() => onFill('smallest')}>
          fill smallest
        </button>
        <button type="button" className="quiet" onClick={() => onFill('fullest')}>
          fullest
        </button>
        {onSend && (
          <button type="button" className="quiet" onClick={onSend} aria-expanded={isSending}>
            send
          </button>
        )}
        {onSave && (
          <button type="button" className="quiet" onClick={onSave} aria-haspopup="dialog">
            save
          </button>
        )}
      </span>
    </div>
  )
}

export function Footnote({ line, rules }: { line: Line | undefined; rules: readonly string[] | undefined }) {
  return (
    <footer className="footnote" aria-live="off">
      {line ? (
        <>
          <code>{line.address}</code> {line.field?.title && <b>{line.field.title}. </b>}
          {line.field?.description && <span>{line.field.description} </span>}
          <span>{line.field ? wordsOf(line.field) : 'not declared'}</span>
          {rules?.map((words) => (
            <em key={words}>{words}</em>
          ))}
        </>
      ) : (
        <span>Focus a line to read about it. Shift F10 opens its menu.</span>
      )}
    </footer>
  )
}
