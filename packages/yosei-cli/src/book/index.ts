export { BookError } from './error.js'
export { compare, type Expectation } from './expectation.js'
export { placeOf } from './place.js'
export { type Place, readBook, type Sample } from './read.js'
