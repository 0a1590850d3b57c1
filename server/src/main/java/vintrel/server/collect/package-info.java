/**
 * Collecting: OTLP over HTTP ({@link vintrel.server.collect.OtlpController}), values from a shell
 * ({@link vintrel.server.collect.SamplesController}), scrape jobs ({@link
 * vintrel.server.collect.ScrapeJobs}), and the page that shows whether it arrived.
 */
package vintrel.server.collect;
