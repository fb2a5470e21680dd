"""What other systems' tools print, written from their documented formats. Every name in it is invented."""

from __future__ import annotations

import json
import plistlib

GB = 10**9


def node(name: str, kind: str = "part", **facts) -> dict:
    """One device of lsblk's JSON."""
    return {
        "kname": name,
        "path": facts.pop("path", f"/dev/{name}"),
        "type": kind,
        "size": 0,
        "rota": False,
        "rm": False,
        "hotplug": False,
        "tran": None,
        "model": None,
        "fstype": None,
        "label": None,
        "uuid": None,
        "parttype": None,
        "ro": False,
        "maj:min": facts.pop("number", "8:0"),
        **facts,
    }


_STRIPED = node(
    "dm-1",
    "lvm",
    path="/dev/mapper/vault-films",
    size=3900 * GB,
    fstype="xfs",
    label="Films",
    uuid="vg-1",
    number="253:1",
)
"""A volume that lies on two disks."""

LSBLK = json.dumps(
    {
        "blockdevices": [
            node(
                "nvme0n1",
                "disk",
                size=512 * GB,
                tran="nvme",
                model="Marl Swift 512",
                children=[
                    node(
                        "nvme0n1p1",
                        size=GB,
                        fstype="vfat",
                        uuid="AAAA-0001",
                        parttype="c12a7328-f81f-11d2-ba4b-00a0c93ec93b",
                    ),
                    node("nvme0n1p2", size=100 * GB, fstype="ext4", uuid="root-1", number="259:2"),
                    node(
                        "nvme0n1p3",
                        size=400 * GB,
                        fstype="crypto_LUKS",
                        uuid="luks-1",
                        children=[
                            node(
                                "dm-0",
                                "crypt",
                                path="/dev/mapper/home",
                                size=400 * GB,
                                fstype="btrfs",
                                uuid="home-1",
                                number="253:0",
                            ),
                        ],
                    ),
                ],
            ),
            node(
                "sda",
                "disk",
                size=4000 * GB,
                rota=True,
                tran="sata",
                model="Oxbow  Broad 4T ",
                children=[
                    node(
                        "sda1",
                        size=2000 * GB,
                        fstype="LVM2_member",
                        children=[
                            _STRIPED,
                        ],
                    ),
                    node("sda2", size=100 * GB, fstype="ntfs", label="Old Study", uuid="0011AABB"),
                    node("sda3", size=8 * GB, fstype="swap", uuid="sw-1"),
                ],
            ),
            node(
                "sdb",
                "disk",
                size=2000 * GB,
                rota=True,
                tran="sata",
                children=[
                    node(
                        "sdb1",
                        size=1900 * GB,
                        fstype="LVM2_member",
                        children=[
                            _STRIPED,
                        ],
                    ),
                ],
            ),
            node(
                "sdc",
                "disk",
                size=64 * GB,
                rota=True,
                rm=True,
                hotplug=True,
                tran="usb",
                model="Quillpost Clip",
                children=[
                    node("sdc1", size=64 * GB, fstype="exfat", uuid="1234-ABCD", number="8:33"),
                ],
            ),
            node("sdd", "disk", size=1000 * GB, tran="usb", hotplug=True, fstype="crypto_LUKS", uuid="luks-2"),
            node("sde", "disk", size=0, rm=True, tran="usb", model="Card Reader"),
            node("loop0", "loop", size=GB, fstype="squashfs", ro=True),
        ]
    }
)

MOUNTINFO = r"""21 26 0:20 / /proc rw shared:1 - proc proc rw
22 26 0:21 / /sys rw - sysfs sysfs rw
26 1 259:2 / / rw,relatime shared:2 - ext4 /dev/root rw
27 26 259:1 / /boot/efi rw - vfat /dev/nvme0n1p1 rw
30 26 0:40 /@home /home rw - btrfs /dev/mapper/home rw,subvol=/@home
31 26 0:40 / /mnt/all\040of\040it rw - btrfs /dev/mapper/home rw
33 26 253:1 / /films ro - xfs /dev/mapper/vault-films ro
34 26 253:1 /old /srv/old ro - xfs /dev/mapper/vault-films ro
35 26 0:45 / /media/stick rw - fuseblk /dev/sdc1 rw
36 26 7:0 / /snap/thing ro - squashfs /dev/loop0 ro
37 26 0:50 / /net/house rw - nfs4 cellar:/vol/house rw
38 26 0:51 / /run/user/1 rw - tmpfs tmpfs rw
this line is garbled
"""


def plist(value: dict) -> bytes:
    return plistlib.dumps(value)


MAC_LIST = plist(
    {
        "WholeDisks": ["disk0", "disk3", "disk4"],
        "AllDisksAndPartitions": [
            {
                "DeviceIdentifier": "disk0",
                "Content": "GUID_partition_scheme",
                "Partitions": [
                    {"DeviceIdentifier": "disk0s1", "Content": "EFI"},
                    {"DeviceIdentifier": "disk0s2", "Content": "Apple_APFS"},
                ],
            },
            {
                "DeviceIdentifier": "disk3",
                "APFSPhysicalStores": [{"DeviceIdentifier": "disk0s2"}],
                "APFSVolumes": [
                    {"DeviceIdentifier": "disk3s1"},
                    {"DeviceIdentifier": "disk3s2"},
                    {"DeviceIdentifier": "disk3s5"},
                    {"DeviceIdentifier": "disk3s6"},
                ],
            },
            {"DeviceIdentifier": "disk4", "Partitions": [{"DeviceIdentifier": "disk4s1", "Content": "Windows_NTFS"}]},
        ],
    }
)

_CONTAINER = {
    "FilesystemType": "apfs",
    "APFSContainerReference": "disk3",
    "APFSContainerSize": 494 * GB,
    "APFSContainerFree": 120 * GB,
    "ParentWholeDisk": "disk3",
    "Internal": True,
}
MAC_INFOS = {
    "disk3s1": plist({**_CONTAINER, "VolumeName": "Hollin", "MountPoint": "/", "APFSVolumeRole": ["System"]}),
    "disk3s2": plist({**_CONTAINER, "VolumeName": "Preboot", "APFSVolumeRole": ["Preboot"]}),
    "disk3s5": plist(
        {
            **_CONTAINER,
            "VolumeName": "Hollin - Data",
            "VolumeUUID": "DATA-1",
            "WritableVolume": True,
            "MountPoint": "/System/Volumes/Data",
            "APFSVolumeRole": ["Data"],
            "VolumeAllocationBlockSize": 4096,
        }
    ),
    "disk3s6": plist({**_CONTAINER, "VolumeName": "Vault", "VolumeUUID": "VAULT-1", "Locked": True}),
    "disk4s1": plist(
        {
            "FilesystemType": "ntfs",
            "VolumeName": "",
            "VolumeUUID": "N-1",
            "ParentWholeDisk": "disk4",
            "MountPoint": "/Volumes/Untitled",
            "TotalSize": 1000 * GB,
            "FreeSpace": 10 * GB,
            "WritableVolume": False,
            "BusProtocol": "USB",
            "SolidState": False,
            "Internal": False,
        }
    ),
    "disk0": plist(
        {
            "BusProtocol": "Apple Fabric",
            "SolidState": True,
            "Internal": True,
            "Size": 500 * GB,
            "MediaName": "Marl Inside 512",
        }
    ),
    "disk4": plist(
        {"BusProtocol": "USB", "SolidState": False, "Internal": False, "Size": 1000 * GB, "MediaName": "Oxbow Satchel"}
    ),
}
MAC_PROFILE = json.dumps(
    {
        "SPUSBDataType": [
            {
                "_name": "USB31Bus",
                "_items": [
                    {
                        "_name": "Hub",
                        "_items": [
                            {"_name": "Oxbow Satchel", "device_speed": "super_speed", "Media": [{"bsd_name": "disk4"}]},
                        ],
                    },
                ],
            }
        ],
        "SPNVMeDataType": [
            {
                "_items": [
                    {"bsd_name": "disk0", "spnvme_linkspeed": "8.0 GT/s", "spnvme_linkwidth": "x4"},
                ]
            }
        ],
        "SPSerialATADataType": [],
    }
)

WINDOWS = json.dumps(
    {
        "physical": [
            {
                "DeviceId": "0",
                "FriendlyName": "Marl Swift 512",
                "MediaType": "SSD",
                "BusType": "NVMe",
                "Size": 512 * GB,
            },
            {"DeviceId": "1", "FriendlyName": "Oxbow Broad 4T", "MediaType": 3, "BusType": 11, "Size": 4000 * GB},
        ],
        "disks": [
            {"Number": 0, "FriendlyName": "Marl Swift 512", "BusType": 17, "Size": 512 * GB, "IsReadOnly": False},
            {"Number": 1, "FriendlyName": "Oxbow Broad 4T", "BusType": "SATA", "Size": 4000 * GB, "IsReadOnly": True},
            {"Number": 2, "FriendlyName": "Quillpost Clip", "BusType": "USB", "Size": 64 * GB, "IsReadOnly": False},
        ],
        "partitions": [
            {
                "DiskNumber": 0,
                "DriveLetter": "\u0000",
                "Size": GB,
                "GptType": "{c12a7328-f81f-11d2-ba4b-00a0c93ec93b}",
                "AccessPaths": ["\\\\?\\Volume{efi}\\"],
            },
            {"DiskNumber": 0, "DriveLetter": "C", "Size": 510 * GB, "AccessPaths": ["C:\\", "\\\\?\\Volume{sys}\\"]},
            {"DiskNumber": 1, "DriveLetter": "D", "Size": 2000 * GB, "AccessPaths": ["D:\\", "\\\\?\\Volume{films}\\"]},
            {
                "DiskNumber": 1,
                "DriveLetter": None,
                "Size": 1900 * GB,
                "AccessPaths": ["C:\\Mounted\\", "\\\\?\\Volume{more}\\"],
            },
            {"DiskNumber": 2, "DriveLetter": "E", "Size": 64 * GB, "AccessPaths": ["E:\\", "\\\\?\\Volume{stick}\\"]},
        ],
        "volumes": [
            {
                "DriveLetter": None,
                "FileSystem": "FAT32",
                "Size": GB,
                "UniqueId": "\\\\?\\Volume{efi}\\",
                "DriveType": "Fixed",
            },
            {
                "DriveLetter": "C",
                "FileSystemLabel": "",
                "FileSystem": "NTFS",
                "Size": 509 * GB,
                "SizeRemaining": 20 * GB,
                "UniqueId": "\\\\?\\Volume{sys}\\",
                "DriveType": "Fixed",
                "AllocationUnitSize": 4096,
            },
            {
                "DriveLetter": "D",
                "FileSystemLabel": "Films",
                "FileSystem": "NTFS",
                "Size": 2000 * GB,
                "UniqueId": "\\\\?\\Volume{films}\\",
                "DriveType": "Fixed",
            },
            {
                "DriveLetter": None,
                "FileSystemLabel": "More",
                "FileSystem": "NTFS",
                "Size": 1900 * GB,
                "UniqueId": "\\\\?\\Volume{more}\\",
                "DriveType": "Fixed",
            },
            {
                "DriveLetter": "E",
                "FileSystem": "",
                "Size": 0,
                "UniqueId": "\\\\?\\Volume{stick}\\",
                "DriveType": "Fixed",
            },
            {
                "DriveLetter": "F",
                "FileSystem": "",
                "Size": 0,
                "UniqueId": "\\\\?\\Volume{reader}\\",
                "DriveType": "Removable",
            },
            {
                "DriveLetter": "G",
                "FileSystem": "UDF",
                "Size": 4 * GB,
                "UniqueId": "\\\\?\\Volume{disc}\\",
                "DriveType": "CD-ROM",
            },
        ],
        "mapped": {
            "DeviceID": "H:",
            "VolumeName": "house",
            "Size": 8000 * GB,
            "FreeSpace": GB,
            "ProviderName": "\\\\cellar\\house",
        },
    }
)
