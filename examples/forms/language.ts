/** The language of the page, and its labels. */
import { bringLanguages, german } from 'yosei/page'
import type { Name } from './proposal.ts'

bringLanguages({ de: german })

export const language = new URLSearchParams(location.search).get('lang') === 'de' ? 'de' : 'en'
document.documentElement.lang = language

interface Label {
  readonly label: string
  readonly type: 'text' | 'email' | 'date' | 'number' | 'select' | 'textarea'
}
const labels: { readonly [tag in typeof language]: { readonly [N in Name]: string } } = {
  en: {
    title: 'Title',
    contact: 'E-mail',
    kind: 'Kind of data',
    from: 'First night',
    until: 'Last night',
    hours: 'Hours in all',
    reason: 'Why more than 20 hours',
  },
  de: {
    title: 'Titel',
    contact: 'E-Mail',
    kind: 'Art der Daten',
    from: 'Erste Nacht',
    until: 'Letzte Nacht',
    hours: 'Stunden insgesamt',
    reason: 'Warum mehr als 20 Stunden',
  },
}
const types: { readonly [N in Name]: Label['type'] } = {
  title: 'text',
  contact: 'email',
  kind: 'select',
  from: 'date',
  until: 'date',
  hours: 'number',
  reason: 'textarea',
}
export const names = Object.keys(types) as Name[]
export const labelOf = (name: Name): Label => ({ label: labels[language][name], type: types[name] })
/** How each form judges: what is typed is text, and messages call a field by its label. */
export const options = {
  language,
  text: true,
  naming: ([name]: readonly (string | number)[]) =>
    language === 'de' ? `„${labels.de[name as Name]}“` : `“${labels.en[name as Name]}”`,
} as const

export const say = (english: string, inGerman: string) => (language === 'de' ? inGerman : english)

/** What the form would send. */
export function showAccepted(value: unknown): void {
  const output = document.querySelector('#accepted') as HTMLElement
  const nothing = say('What the service gets will stand here.', 'Hier wird stehen, was der Dienst bekommt.')
  output.textContent = value === undefined ? nothing : JSON.stringify(value, null, 2)
}
