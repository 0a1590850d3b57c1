/**
 * Which series exist. {@link vintrel.core.index.LabelIndex} answers "which series fulfil this
 * condition" with compressed bitmaps and is the catalogue of metrics, labels and values. It lives
 * in memory and is rebuilt from the stored series at start. Reads and writes may come from any
 * thread.
 */
package vintrel.core.index;
