/** Severities of alerts, the least first. */
export const SEVERITIES = ['advisory', 'warning', 'critical'] as const;
export type Severity = (typeof SEVERITIES)[number];

/** 1 for the least severity, 3 for the gravest: to be compared. */
export const severityRank = (severity: Severity): number => SEVERITIES.indexOf(severity) + 1;
