export { isWithinHours, minuteAt, minuteOfDay, quietHours, timeOfMinute, type QuietHours } from './quiet-hours';
export { lineFault, nextRun, runUnderWay, secondsADay, type TimetableLine, type TimetableRun } from './timetable';
export * from './midnights';
