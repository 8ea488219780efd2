/** The verdict on what is on the page, and whether it is of what stands there. */
import { type Dispatch, type SetStateAction, useEffect, useRef, useState } from 'react'
import type { Bench, Draft, Judged } from '../src/terms.ts'
import { Trouble } from './model/bench.ts'
import type { History } from './model/history.ts'
import { changeOf } from './model/verdicts.ts'

/** Why what is on the page could not be judged, and what is to blame. */
export interface NotJudged {
  readonly message: string
  readonly at?: string | undefined
}
export function useJudged(
  bench: Bench,
  draft: Draft | undefined,
  revision: number,
  setHistory: Dispatch<SetStateAction<History | undefined>>,
  tell: (text: string) => void,
) {
  const [verdict, setVerdict] = useState<{
    readonly judged: Judged
    readonly draft: Draft
    readonly revision: number
  }>()
  const [trouble, setTrouble] = useState<NotJudged>()
  const before = useRef(verdict)
  useEffect(() => {
    if (!draft) return
    let isCurrent = true
    bench.judge(draft).then(
      (judged) => {
        if (!isCurrent) return
        const last = before.current
        before.current = { judged, draft, revision }
        setVerdict(before.current)
        setTrouble(undefined)
        if (last && last.revision !== revision && last.draft === draft) tell(changeOf(last.judged, judged))
        // The ledger follows the request to the endpoint that it means.
        const { endpoint } = judged
        if (endpoint !== undefined)
          setHistory((now) =>
            now && now.now.draft === draft && now.now.endpoint !== endpoint
              ? { ...now, now: { ...now.now, endpoint } }
              : now,
          )
      },
      (error: Error) => {
        if (!isCurrent) return
        const at = error instanceof Trouble || 'at' in error ? (error as Trouble).at : undefined
        setTrouble({ message: error.message, at })
      },
    )
    return () => {
      isCurrent = false
    }
  }, [bench, draft, revision, setHistory, tell])
  /** What the page itself has changed on disk is no news. */
  const known = (now: number) => {
    if (before.current) before.current = { ...before.current, revision: now }
  }
  const isOld = verdict !== undefined && verdict.draft !== draft
  return { judged: verdict?.judged, isOld, trouble, known }
}
