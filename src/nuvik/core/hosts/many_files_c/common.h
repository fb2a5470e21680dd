/* What the parts share. Each does in one call, without holding Python's lock, what Nuvik else does file by file. */

#ifndef NUVIK_MANY_FILES
#define NUVIK_MANY_FILES

#define _GNU_SOURCE /* O_DIRECT, O_NOATIME */
#define Py_LIMITED_API 0x030B0000
#define PY_SSIZE_T_CLEAN
#include <Python.h>

#include <errno.h>
#include <fcntl.h>
#include <stdint.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/types.h>
#include <unistd.h>
#if defined(__linux__)
#include <linux/fs.h>
#include <sys/ioctl.h>
#include <sys/xattr.h>
#define CARRIED_FLAGS (FS_SYNC_FL | FS_NODUMP_FL | FS_NOATIME_FL | FS_DIRSYNC_FL) /* as in syscalls.py */
#define FIXED_FLAGS (FS_IMMUTABLE_FL | FS_APPEND_FL)
#endif

#if defined(__APPLE__)
#define ACCESSED st_atimespec
#define CHANGED st_mtimespec
#define ALTERED st_ctimespec
#else
#define ACCESSED st_atim
#define CHANGED st_mtim
#define ALTERED st_ctim
#endif

#define WHICH_LENGTH 48

/* Beyond what 64 bits hold (the years 1677 to 2262) it is the bound: checks refuse such times by name. */
int64_t nanoseconds(struct timespec moment);

/* Which file it is, as records have it; the length. */
int which_file(const struct stat *facts, char which[WHICH_LENGTH]);

#if defined(__linux__)
unsigned int flags_of(int file);
#endif
int has_attributes(int file);

/* The bytes of a name, which the job holds until it is done; -1 with an error set. */
int hold_name(PyObject *name, PyObject **held, const char **bytes);

/* Do every job of a batch, `width` at a time. */
void all(void (*work)(void *, size_t), void *batch, size_t count, int width);

PyObject *list_entries(PyObject *self, PyObject *words);
PyObject *read_many(PyObject *self, PyObject *words);
PyObject *write_many(PyObject *self, PyObject *words);
#if defined(__linux__)
PyObject *look_many(PyObject *self, PyObject *words);
#endif
PyObject *remove_many(PyObject *self, PyObject *words);

#endif
