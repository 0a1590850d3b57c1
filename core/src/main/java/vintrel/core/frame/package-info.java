/**
 * Tables of typed columns: what an API answers and a table shows. {@link vintrel.core.frame.Tables}
 * holds the steps on them (group, sort, join, bins, cells, …), {@link vintrel.core.frame.Formula}
 * the expressions over their columns. Frames are never changed; what does not fit is a {@link
 * vintrel.core.frame.FrameException} that names what there is.
 */
package vintrel.core.frame;
