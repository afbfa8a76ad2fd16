export { isJsonPointer, pointerToken, pointerTokens, valueAt } from './json-pointer';
export { DEEPEST, leavesOf, mapMessage, mapValue, MOST_LEAVES, readPayload } from './message-map';
export type { Leaf, MapEntry, MappedMessage, Payload } from './message-map';
export { filterFault, filterMatches, filtersOverlap, LONGEST_TOPIC, ownFilterFault, topicFault } from './topic-filter';
