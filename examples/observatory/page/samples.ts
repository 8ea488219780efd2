/** The sample books, read in the browser as the command line reads them. */
import { compare, readBook, type Sample } from 'yosei-cli/book'
import { type Draft, judgeDraft } from './draft.js'

const books = import.meta.glob<string>('../samples/*.md', { query: '?raw', import: 'default', eager: true })

export interface Shelved {
  readonly sample: Sample
  readonly draft: Draft
  /** Status as judged, and whether it is as the book says. */
  readonly status: string
  readonly asWritten: boolean
}

export async function readShelf(): Promise<{ title: string; samples: Shelved[] }[]> {
  const shelf = []
  for (const markdown of Object.values(books)) {
    const samples: Shelved[] = []
    for (const sample of readBook(markdown)) {
      const draft = draftOf(sample)
      const verdict = await judgeDraft(draft)
      const asWritten = !sample.expectation || compare(sample.expectation, verdict).length === 0
      samples.push({
        sample,
        draft,
        status: verdict.outcome === 'rejected' ? String(verdict.status) : verdict.outcome,
        asWritten,
      })
    }
    shelf.push({ title: /^# (.*)$/m.exec(markdown)?.[1] ?? 'Samples', samples })
  }
  return shelf
}

function draftOf({ message, now }: Sample): Draft {
  return {
    method: message.method,
    target: message.target,
    headers: message.headers.map(([name, value]) => `${name}: ${value}`).join('\n'),
    body: typeof message.body === 'string' ? message.body : '',
    clock: (now ?? new Date()).toISOString().replace(/\.\d+/, ''),
  }
}
