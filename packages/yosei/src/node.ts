/** Services on Node: behind a server of your own, or with one that answers everything in the same form; fronts. */

export { type GateOptions, gate } from './adapt/gate.js'
export { type Listening, type ListenOptions, listen } from './adapt/listen.js'
export { type AnswerOptions, answerNode, listenerOf } from './adapt/listener.js'
export { contextOf, foundOf, type Gate, handled, inputOf, type PassedContext, verdictAt } from './adapt/passed.js'
export { type Front, type FrontOptions, front, type Unseen } from './front/front.js'
