package vintrel.server.web;

import java.nio.file.AccessDeniedException;
import java.sql.SQLException;
import java.time.Duration;
import java.util.regex.Pattern;
import org.slf4j.Logger;
import org.slf4j.LoggerFactory;
import org.springframework.boot.SpringBootExceptionReporter;
import org.springframework.boot.context.properties.bind.BindException;
import org.springframework.boot.origin.Origin;
import org.springframework.boot.web.server.PortInUseException;
import org.springframework.context.ConfigurableApplicationContext;

/** Says in one line why the server can't start, if it is something that a person can mend. */
public final class StartFaults implements SpringBootExceptionReporter {
  private static final Logger log = LoggerFactory.getLogger(StartFaults.class);

  /** H2: another process has the file open. */
  private static final int FILE_IN_USE = 90020;

  private static final Pattern PORT = Pattern.compile("(?i)\\bport\\b");

  private final ConfigurableApplicationContext context;

  StartFaults(ConfigurableApplicationContext context) {
    this.context = context;
  }

  @Override
  public boolean reportException(Throwable failure) {
    var words = words(failure, data());
    if (words.isEmpty()) {
      return false;
    }
    log.debug("the start failed", failure);
    System.err.println("vintrel: can't start: " + words);
    return true;
  }

  private String data() {
    return context == null
        ? ""
        : String.valueOf(context.getEnvironment().getProperty("vintrel.data"));
  }

  /**
   * The reason in words, or empty if it is none that is known.
   *
   * @param data the data directory
   */
  static String words(Throwable failure, String data) {
    int depth = 0;
    for (var t = failure; t != null && depth < 50; t = t.getCause(), depth++) {
      var words =
          switch (t) {
            case BindException b -> bound(b);
            case PortInUseException p ->
                "port " + p.getPort() + " is in use; stop the other program or choose another";
            case Settings.Unfit u -> u.getMessage();
            case AccessDeniedException a -> "no permission for " + a.getFile();
            case SQLException s when s.getErrorCode() == FILE_IN_USE ->
                "the data directory " + data + " is in use by another Vintrel server";
            case IllegalArgumentException i when aboutPort(i) ->
                "a port is a number from 0 to 65535: " + i.getMessage();
            default -> "";
          };
      if (!words.isEmpty()) {
        return words;
      }
    }
    return "";
  }

  private static boolean aboutPort(Exception e) {
    return e.getMessage() != null && PORT.matcher(e.getMessage()).find();
  }

  private static String bound(BindException b) {
    for (Throwable t = b; t != null; t = t.getCause()) {
      if (t instanceof Settings.Unfit) {
        return t.getMessage();
      }
    }
    var property = b.getProperty();
    var name = b.getName().toString();
    var type = b.getTarget().getType().resolve();
    if (property == null) {
      return "the setting " + name + " is not " + kind(type);
    }
    var origin = Origin.from(property);
    var where = origin == null ? "" : " (" + origin + ")";
    return "the setting %s%s is `%s`, which is not %s"
        .formatted(name, where, property.getValue(), kind(type));
  }

  private static String kind(Class<?> type) {
    if (type == Duration.class) {
      return "a duration such as 30d, 12h or 90s";
    }
    if (type == boolean.class || type == Boolean.class) {
      return "true or false";
    }
    return type == int.class || type == long.class || type == Integer.class || type == Long.class
        ? "a whole number"
        : "a value of this setting";
  }
}
