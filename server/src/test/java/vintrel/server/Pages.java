package vintrel.server;

import static org.springframework.security.test.web.servlet.request.SecurityMockMvcRequestPostProcessors.csrf;
import static org.springframework.security.test.web.servlet.request.SecurityMockMvcRequestPostProcessors.user;
import static org.springframework.security.test.web.servlet.setup.SecurityMockMvcConfigurers.springSecurity;

import java.io.UnsupportedEncodingException;
import java.nio.charset.StandardCharsets;
import org.springframework.mock.web.MockHttpServletResponse;
import org.springframework.test.web.servlet.MockMvc;
import org.springframework.test.web.servlet.request.AbstractMockHttpServletRequestBuilder;
import org.springframework.test.web.servlet.setup.MockMvcBuilders;
import org.springframework.web.context.WebApplicationContext;
import org.springframework.web.util.HtmlUtils;

/** Asks a running server for pages as a person of a role who is signed in. */
public final class Pages {
  private final MockMvc mvc;
  private final String role;

  public Pages(RunningServer server, String role) {
    this.role = role;
    this.mvc =
        MockMvcBuilders.webAppContextSetup((WebApplicationContext) server.context())
            .apply(springSecurity())
            .build();
  }

  public MockHttpServletResponse send(AbstractMockHttpServletRequestBuilder<?> request) {
    try {
      return mvc.perform(request.with(user("kim").roles(role)).with(csrf()))
          .andReturn()
          .getResponse();
    } catch (Exception e) {
      throw new IllegalStateException(e);
    }
  }

  /** The page's text as it is read: without tags, blanks put together. */
  /** A page as it is sent. */
  public String html(AbstractMockHttpServletRequestBuilder<?> request) {
    return new String(send(request).getContentAsByteArray(), StandardCharsets.UTF_8);
  }

  public String text(AbstractMockHttpServletRequestBuilder<?> request) {
    try {
      var html = send(request).getContentAsString();
      return HtmlUtils.htmlUnescape(html.replaceAll("<[^>]*>", " ").replaceAll("\\s+", " "));
    } catch (UnsupportedEncodingException e) {
      throw new IllegalStateException(e);
    }
  }
}
