package vintrel.core.query.syntax;

import java.util.List;
import vintrel.core.series.Labels;

/** Which series are taken together. */
public record Grouping(Mode mode, List<String> labels) {
  public enum Mode {
    ALL,
    BY,
    WITHOUT
  }

  public static final Grouping ALL = new Grouping(Mode.ALL, List.of());

  public Grouping {
    labels = List.copyOf(labels);
  }

  /** The labels of the group that a series belongs to. */
  public Labels key(Labels of) {
    return switch (mode) {
      case ALL -> Labels.NONE;
      case BY -> of.keep(labels);
      case WITHOUT -> of.drop(labels);
    };
  }
}
