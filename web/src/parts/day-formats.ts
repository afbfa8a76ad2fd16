/** Days and times as they are typed and shown in fields: 2026-11-27, 14:30. */
export const DAY_FORMATS = {
  parse: { dateInput: 'yyyy-MM-dd', timeInput: 'HH:mm' },
  display: {
    dateInput: 'yyyy-MM-dd',
    timeInput: 'HH:mm',
    timeOptionLabel: 'HH:mm',
    monthYearLabel: 'LLL yyyy',
    dateA11yLabel: 'DDD',
    monthYearA11yLabel: 'LLLL yyyy',
  },
};
