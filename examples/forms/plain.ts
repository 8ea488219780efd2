/** A form without a library. */
import { judgeValue } from 'yosei'
import { labelOf, names, options, say, showAccepted } from './language.ts'
import { kinds, proposal } from './proposal.ts'

const form = document.createElement('form')
form.noValidate = true
for (const name of names) form.append(controlOf(name))
const button = form.appendChild(document.createElement('button'))
button.textContent = say('Propose', 'Vorschlagen')
document.querySelector('#form')?.append(form)

/** Errors are shown at fields that one has left, and at all of them once one has sent. */
const left = new Set<string>()
form.addEventListener('focusout', ({ target }) => judge((target as HTMLInputElement).name))
form.addEventListener('input', () => judge())
form.addEventListener('submit', (event) => {
  event.preventDefault()
  showAccepted(judge(...names))
})

/** Judges the form as it is; gives the proposal, if it is one. */
function judge(...more: string[]) {
  for (const name of more) left.add(name)
  const verdict = judgeValue(proposal, Object.fromEntries(new FormData(form)), options)
  const errors = verdict.outcome === 'rejected' ? verdict.errorsByField : {}
  for (const name of names) {
    const message = left.has(name) ? (errors[name]?.[0]?.message ?? '') : ''
    const control = form.elements.namedItem(name) as HTMLInputElement
    control.ariaInvalid = String(message !== '')
    ;(document.getElementById(`${name}-error`) as HTMLElement).textContent = message
  }
  return verdict.outcome === 'accepted' ? verdict.value : undefined
}

function controlOf(name: (typeof names)[number]): HTMLElement {
  const { label, type } = labelOf(name)
  const holder = document.createElement('div')
  const caption = document.createElement('label')
  caption.htmlFor = name
  caption.textContent = label
  const control = document.createElement(type === 'select' || type === 'textarea' ? type : 'input')
  if (control instanceof HTMLInputElement) control.type = type
  if (control instanceof HTMLSelectElement) for (const value of ['', ...kinds]) control.add(new Option(value, value))
  control.id = name
  control.name = name
  control.setAttribute('aria-describedby', `${name}-error`)
  const error = document.createElement('small')
  error.id = `${name}-error`
  holder.append(caption, control, error)
  return holder
}
