package vintrel.core.index;

import java.util.List;
import vintrel.core.series.MetricKind;

/** A metric in the catalogue; labels are the names that any of its series carries, sorted. */
public record MetricEntry(
    String name, MetricKind kind, String unit, int series, List<String> labels) {}
