package vintrel.core.picture;

/**
 * How colours look to people, after Machado, Oliveira and Fernandes (2009) at full severity;
 * distances are Euclidean in OKLab (Ottosson, 2020), where about 0.02 is just noticeable.
 */
enum ColourSight {
  NORMAL(1, 0, 0, 0, 1, 0, 0, 0, 1),
  PROTANOPIA(
      0.152286, 1.052583, -0.204868, 0.114503, 0.786281, 0.099216, -0.003882, -0.048116, 1.051998),
  DEUTERANOPIA(
      0.367322, 0.860646, -0.227968, 0.280085, 0.672501, 0.047413, -0.011820, 0.042940, 0.968881),
  TRITANOPIA(
      1.255528, -0.076749, -0.178779, -0.078411, 0.930809, 0.147602, 0.004733, 0.691367, 0.303900);

  private final double[] matrix;

  ColourSight(double... matrix) {
    this.matrix = matrix;
  }

  double distance(String a, String b) {
    var x = lab(seen(linear(a)));
    var y = lab(seen(linear(b)));
    return Math.sqrt(
        Math.pow(x[0] - y[0], 2) + Math.pow(x[1] - y[1], 2) + Math.pow(x[2] - y[2], 2));
  }

  private double[] seen(double[] c) {
    var out = new double[3];
    for (int i = 0; i < 3; i++) {
      double v = matrix[3 * i] * c[0] + matrix[3 * i + 1] * c[1] + matrix[3 * i + 2] * c[2];
      out[i] = Math.clamp(v, 0, 1);
    }
    return out;
  }

  private static double[] linear(String hex) {
    var out = new double[3];
    for (int i = 0; i < 3; i++) {
      double v = Integer.parseInt(hex.substring(1 + 2 * i, 3 + 2 * i), 16) / 255.0;
      out[i] = v <= 0.04045 ? v / 12.92 : Math.pow((v + 0.055) / 1.055, 2.4);
    }
    return out;
  }

  private static double[] lab(double[] c) {
    double l = Math.cbrt(0.4122214708 * c[0] + 0.5363325363 * c[1] + 0.0514459929 * c[2]);
    double m = Math.cbrt(0.2119034982 * c[0] + 0.6806995451 * c[1] + 0.1073969566 * c[2]);
    double s = Math.cbrt(0.0883024619 * c[0] + 0.2817188376 * c[1] + 0.6299787005 * c[2]);
    return new double[] {
      0.2104542553 * l + 0.7936177850 * m - 0.0040720468 * s,
      1.9779984951 * l - 2.4285922050 * m + 0.4505937099 * s,
      0.0259040371 * l + 0.7827717662 * m - 0.8086757660 * s
    };
  }

  static double contrast(String a, String b) {
    double x = luminance(linear(a));
    double y = luminance(linear(b));
    return (Math.max(x, y) + 0.05) / (Math.min(x, y) + 0.05);
  }

  private static double luminance(double[] c) {
    return 0.2126 * c[0] + 0.7152 * c[1] + 0.0722 * c[2];
  }
}
