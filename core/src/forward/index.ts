export {
  BODY_TEMPLATES,
  bodyWithin,
  fillTemplate,
  FORWARD_FIELDS,
  unknownFields,
  type BodyLimits,
  type BodyTemplate,
  type ForwardReading,
} from './template';
export { forwardLoad, recentWith, waitBeforeSend, type ForwardLoad, type SendCap } from './pace';
