export { minuteOfDay, quietHours, timeOfMinute, type QuietHours } from './quiet-hours';
