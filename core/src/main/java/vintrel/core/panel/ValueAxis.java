package vintrel.core.panel;

/** One of the value axes of a time chart beyond the first. */
public record ValueAxis(
    @Setting(
            value =
                "The unit of the series on it; none: the next unit that has no axis of its own.",
            group = "For")
        String unit,
    @Setting(value = "Where it stands; hidden: it is not drawn.", group = "Then") Side side,
    @Setting(value = "How values lie on it.", group = "Then", words = "logarithmic")
        ValueScale scale,
    @Setting(
            value = "Up to this size a signed log scale is about linear.",
            group = "Then",
            min = 1e-12,
            label = "linear to")
        double linear,
    @Setting(value = "Where it begins, whatever the data.", group = "Then", words = "minimum")
        Double from,
    @Setting(value = "Where it ends, whatever the data.", group = "Then", words = "maximum")
        Double to,
    @Setting(
            value = "Where it begins unless values lie lower.",
            group = "Then",
            label = "from, soft")
        Double softFrom,
    @Setting(value = "Where it ends unless values lie higher.", group = "Then", label = "to, soft")
        Double softTo,
    @Setting(
            value = "Whether zero is in the middle.",
            group = "Then",
            label = "zero in the middle",
            words = "centred symmetric")
        boolean middle,
    @Setting(value = "Words beside it; none: the lines on it.", group = "Then") String words,
    @Setting(value = "Whether lines run across at its values.", group = "Then") boolean grid,
    @Setting(
            value = "Room for it, px; 0: as needed.",
            group = "Then",
            min = 0,
            max = 300,
            zero = "as needed")
        double room,
    @Setting(
            value = "Decimals of its numbers; none: as many as needed.",
            group = "Then",
            min = 0,
            max = 6)
        Double decimals) {

  /** Where an axis stands. */
  public enum Side {
    LEFT,
    RIGHT,
    HIDDEN
  }

  public static final ValueAxis DEFAULT =
      new ValueAxis(
          "", Side.RIGHT, ValueScale.LINEAR, 1, null, null, null, null, false, "", false, 0, null);

  /** One that has only its place. */
  static ValueAxis at(Side side) {
    var d = DEFAULT;
    return new ValueAxis(
        d.unit, side, d.scale, d.linear, null, null, null, null, false, "", false, 0, null);
  }

  ValueScale.Ends ends() {
    return new ValueScale.Ends(from, to, softFrom, softTo, middle);
  }
}
